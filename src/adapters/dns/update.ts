import { randomInt } from 'node:crypto';
import type { SetChange } from '../../core/records/change.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { exchangeTcp, exchangeUdp, type NameServer } from './query.ts';
import { replyProblem, signMessage, type TsigKey } from './tsig.ts';
import { classes, recordData, txtData, types, updateMessage, type WireRecord } from './wire.ts';

interface TxtChange {
  act: 'add' | 'remove';
  name: string;
  value: string;
}

interface To {
  server: NameServer;
  key: TsigKey;
  zone: string;
  now: Date;
  timeoutMs: number;
}

/** RFC 2136 §2.2 and RFC 6895 §2.3. */
const codes: Record<number, string> = {
  1: 'it cannot read the update (FORMERR)',
  2: 'it reports a failure (SERVFAIL)',
  4: 'it does not accept updates (NOTIMP)',
  5: 'it refuses the update (REFUSED)',
  9: 'it is not the server of this zone, or does not trust the key (NOTAUTH)',
  10: 'the name is not in the zone (NOTZONE)',
};

/** A prerequisite does not hold: YXDOMAIN, YXRRSET, NXRRSET. */
const overtakenCodes = [6, 7, 8];

const challengeTtl = 60;

/**
 * Adds one TXT value beside those that are there, or takes that one value away (RFC 2136 §2.5.1 and §2.5.4): values of others
 * at the same name stay.
 *
 * @throws Trouble `update-refused`, `update-unanswered`
 */
export async function updateTxt({ change, ...to }: To & { change: TxtChange }): Promise<void> {
  const { act, name, value } = change;
  const record = act === 'add' ? { class: classes.in, ttl: challengeTtl } : { class: classes.none, ttl: 0 };
  const changes = [{ name, type: types.txt, rdata: txtData(value), ...record }];
  await send(to, { prerequisites: [], changes, about: `the record ${name}` });
}

/**
 * Changes whole sets of records, all of them or none. Each set must still be what was read (RFC 2136 §2.4.2 and §2.4.3), so
 * that nobody else's change is lost.
 *
 * @throws Trouble `update-refused`, `update-overtaken`, `update-unanswered`
 */
export async function updateSets({ sets, ...to }: To & { sets: readonly SetChange[] }): Promise<void> {
  const prerequisites = sets.flatMap(asRead);
  // What goes must be gone first: an alias beside anything else is passed over in silence (RFC 2136 §3.4.2.2).
  const changes = [...sets.flatMap(removal), ...sets.flatMap(addition)];
  await send(to, { prerequisites, changes, about: `${String(sets.length)} changes` });
}

const typeOf = (type: SetChange['type']): number => types[type.toLowerCase() as 'a' | 'aaaa' | 'cname' | 'caa'];
const empty = Buffer.alloc(0);

function asRead({ name, type, before, unsure }: SetChange): WireRecord[] {
  if (unsure === true) return [];
  const owner = { name, type: typeOf(type), ttl: 0 };
  if (before.length === 0) return [{ ...owner, class: classes.none, rdata: empty }];
  return before.map((record) => ({ ...owner, class: classes.in, rdata: recordData(record) }));
}

function removal({ name, type, before, unsure }: SetChange): WireRecord[] {
  return before.length === 0 && unsure !== true
    ? []
    : [{ name, type: typeOf(type), class: classes.any, ttl: 0, rdata: empty }];
}

function addition({ name, type, after }: SetChange): WireRecord[] {
  const owner = { name, type: typeOf(type), class: classes.in };
  return after.map((record) => ({ ...owner, ttl: record.ttlSeconds, rdata: recordData(record) }));
}

interface Message {
  prerequisites: readonly WireRecord[];
  changes: readonly WireRecord[];
  about: string;
}

/** What a datagram carries without being cut on its way (RFC 9715 §3.1); more goes over TCP. */
const datagramLimit = 1232;

async function send(
  { server, key, zone, now, timeoutMs }: To,
  { prerequisites, changes, about }: Message,
): Promise<void> {
  const id = randomInt(65_536);
  const plain = updateMessage({ id, zone, prerequisites, changes });
  const { message, mac } = signMessage(plain, key, now.getTime() / 1000);
  const fits = (reply: Buffer): boolean =>
    reply.length >= 12 && reply.readUInt16BE(0) === id && (reply.readUInt16BE(2) & 0x8000) !== 0;
  const exchange =
    message.length > datagramLimit
      ? exchangeTcp(server, message, timeoutMs)
      : exchangeUdp(server, message, timeoutMs, fits);
  const reply = await exchange.catch((cause: unknown) => {
    throw unanswered(server, cause);
  });
  if (!fits(reply)) throw unanswered(server, new Error('the answer cannot be read'));
  const code = reply.readUInt16BE(2) & 0xf;
  const signature = replyProblem(reply, key, mac);
  if (code === 0 && signature === null) return;
  if (overtakenCodes.includes(code)) throw overtaken(zone);
  const reason = code === 0 ? signature : (codes[code] ?? `it answers with code ${String(code)}`);
  const detail = code !== 0 && signature !== null && signature !== 'the reply is not signed' ? `; ${signature}` : '';
  throw new Trouble({
    code: 'update-refused',
    message: `The name server ${server.address} refused ${about}: ${reason ?? ''}${detail}.`,
    remedy: `Check that the key ${key.name} may update the zone ${zone} there, and that both clocks are right.`,
  });
}

function unanswered({ address }: NameServer, cause: unknown): Trouble {
  return new Trouble({
    code: 'update-unanswered',
    message: `The name server ${address} did not answer the update: ${reasonOf(cause)}.`,
    remedy: 'Check `dns.server` in the map, and that it accepts updates.',
    cause,
  });
}

function overtaken(zone: string): Trouble {
  return new Trouble({
    code: 'update-overtaken',
    message: `Somebody changed the zone ${zone} meanwhile. Nothing was changed there.`,
    remedy: 'Run it again, and check the difference.',
  });
}
