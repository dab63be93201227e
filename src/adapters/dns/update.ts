import { randomInt } from 'node:crypto';
import { Trouble } from '../trouble.ts';
import { exchangeUdp, type NameServer } from './query.ts';
import { replyProblem, signMessage, type TsigKey } from './tsig.ts';
import { classes, txtData, types, updateMessage } from './wire.ts';

export interface TxtChange {
  act: 'add' | 'remove';
  name: string;
  value: string;
}

export interface UpdateInput {
  server: NameServer;
  key: TsigKey;
  zone: string;
  change: TxtChange;
  now: Date;
  timeoutMs: number;
}

/** RFC 2136 §2.2 and RFC 6895 §2.3. */
const codes: Record<number, string> = {
  1: 'it cannot read the update (FORMERR)',
  2: 'it reports a failure (SERVFAIL)',
  4: 'it does not take updates (NOTIMP)',
  5: 'it refuses the update (REFUSED)',
  9: 'it is not the server of this zone, or does not trust the key (NOTAUTH)',
  10: 'the name does not lie in the zone (NOTZONE)',
};

const challengeTtl = 60;

/**
 * Adds one TXT value beside those that are there, or takes that one value away (RFC 2136 §2.5.1 and §2.5.4): values of others
 * at the same name stay.
 *
 * @throws Trouble `update-refused`; an Error of the socket when nobody answers
 */
export async function updateTxt({ server, key, zone, change, now, timeoutMs }: UpdateInput): Promise<void> {
  const id = randomInt(65_536);
  const rdata = txtData(change.value);
  const record = change.act === 'add' ? { class: classes.in, ttl: challengeTtl } : { class: classes.none, ttl: 0 };
  const plain = updateMessage({ id, zone, changes: [{ name: change.name, type: types.txt, rdata, ...record }] });
  const { message, mac } = signMessage(plain, key, now.getTime() / 1000);
  const fits = (reply: Buffer): boolean =>
    reply.length >= 12 && reply.readUInt16BE(0) === id && (reply.readUInt16BE(2) & 0x8000) !== 0;
  const reply = await exchangeUdp(server, message, timeoutMs, fits);
  const code = reply.readUInt16BE(2) & 0xf;
  const signature = replyProblem(reply, key, mac);
  if (code === 0 && signature === null) return;
  const reason = code === 0 ? signature : (codes[code] ?? `it answers with code ${String(code)}`);
  const detail = code !== 0 && signature !== null && signature !== 'the reply is not signed' ? `; ${signature}` : '';
  throw new Trouble({
    code: 'update-refused',
    message: `The name server ${server.address} did not take the record ${change.name}: ${reason ?? ''}${detail}.`,
    remedy: `Check that the key ${key.name} may update the zone ${zone} there, and that both clocks are right.`,
  });
}
