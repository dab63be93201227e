import { rm } from 'node:fs/promises';
import http from 'node:http';
import { dirname, join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { challengePrefix } from '../../core/certificates/challenge.ts';
import { ensureFolder, writeWhole } from '../files/safe-write.ts';
import { followAliases, serversOf, txtAt, zoneOf, type ZoneReader } from '../dns/zone.ts';
import type { DnsName } from '../../core/outside/words.ts';
import type { ProofChange, RecordWay } from '../records/way.ts';
import { Trouble } from '../trouble.ts';
import type { Proof } from './client.ts';

/** What is needed to take a proof back. */
type Published = Pick<Proof, 'name' | 'token' | 'value'>;

/** Shows one proof to the world and takes it back again. `show` returns when the authority can see it. */
export interface Publisher {
  show: (proof: Proof) => Promise<void>;
  hide: (proof: Published) => Promise<void>;
}

interface HttpInput {
  /** Folder that the front answers challenges from. */
  folder: string;
  /** Where this machine's own front listens for plain HTTP. */
  front: { address: string; port: number };
  timeoutMs: number;
  /** The command that brings the map live. */
  live: string;
  /** Tells the front what is pending, where it does not look by itself. */
  tell: () => Promise<void>;
}

/** Puts the token where the front answers it, and proves first that the front does. */
export function httpPublisher({ folder, front, timeoutMs, live, tell }: HttpInput): Publisher {
  const fileOf = ({ name, token }: Published): string => join(folder, name, '.well-known', 'acme-challenge', token);
  return {
    show: async (proof) => {
      const file = fileOf(proof);
      await ensureFolder(dirname(file));
      await writeWhole(file, proof.value);
      await tell();
      const seen = await askFront(front, proof, timeoutMs);
      if (seen === proof.value) return;
      throw new Trouble({
        code: 'challenge-not-shown',
        message: `The front does not answer the challenge for ${proof.name} on port ${String(front.port)}: ${seen === null ? 'no answer' : 'something else comes back'}. The authority was not asked.`,
        remedy: `If the map has changed since, make it live: ${live}. Else let the proxy read ${folder}`,
      });
    },
    hide: async (proof) => {
      await rm(join(folder, proof.name), { recursive: true, force: true });
      await tell();
    },
  };
}

/** What the front answers at the token's address, or null when nobody does. */
export function askFront(
  { address, port }: HttpInput['front'],
  { name, token }: Pick<Proof, 'name' | 'token'>,
  timeoutMs: number,
): Promise<string | null> {
  return new Promise((resolve) => {
    const request = http.get(
      {
        host: address,
        port,
        path: `${challengePrefix}${token}`,
        headers: { host: name },
        timeout: timeoutMs,
        agent: false,
      },
      (answer) => {
        let body = '';
        answer.setEncoding('utf8').on('data', (text: string) => (body = (body + text).slice(0, 4096)));
        answer.on('end', () => resolve(body));
        answer.on('error', () => resolve(null));
      },
    );
    request.on('timeout', () => request.destroy());
    request.on('error', () => resolve(null));
  });
}

export interface DnsInput {
  way: RecordWay;
  reader: ZoneReader;
  /** How long to wait until every authoritative server shows the record. */
  patienceMs: number;
  say: (text: string) => void;
  now: () => Date;
  signal: AbortSignal;
  /** Whether a record may be published at a name that an alias leads to, though it is one that anything else could have, too. */
  mayLead: (alias: { from: DnsName; to: DnsName }) => Promise<boolean>;
}

/**
 * Publishes TXT records below `_acme-challenge` (RFC 8555 §8.4), behind aliases where there are any, and waits until every
 * authoritative server of the zone shows them: an authority that looks too early remembers the "no".
 */
export function dnsPublisher(input: DnsInput): Publisher {
  return {
    show: async (proof) => {
      const place = await placeOf(input, proof);
      await askFirst(input, challengeName(proof.name), place.name);
      if (place.passed.length > 0)
        input.say(`${place.passed.join(' -> ')} is an alias; the record goes into ${place.name}\n`);
      await change(input, { act: 'add', ...place, value: proof.value });
      await untilSeen(input, { ...place, value: proof.value });
    },
    hide: async (proof) => {
      const place = await placeOf(input, proof);
      await change(input, { act: 'remove', ...place, value: proof.value });
    },
  };
}

/** Names made for records of this kind have a label with `_` (RFC 8552 §2). What leads to any other name may be somebody's trick: it is asked about, once. */
async function askFirst({ mayLead }: DnsInput, from: DnsName, to: DnsName): Promise<void> {
  if (to.split('.').some((label) => label.startsWith('_')) || (await mayLead({ from, to }))) return;
  throw new Trouble({
    code: 'alias-not-confirmed',
    message: `${from} is an alias of ${to}, which is not a name for records of this kind. Nothing was published there.`,
    remedy: `If that is on purpose, run \`mile-marker certs obtain\` in a terminal and say yes once. If not, correct the CNAME record of ${from}.`,
  });
}

/** Where an authority looks for the record of a name (RFC 8555 §8.4). */
function challengeName(name: DnsName): DnsName {
  return `_acme-challenge.${name}` as DnsName;
}

interface Place {
  name: DnsName;
  zone: string;
  passed: string[];
}

async function placeOf({ reader }: DnsInput, { name }: Published): Promise<Place> {
  const { name: behind, passed } = await followAliases(reader, challengeName(name));
  return { name: behind, passed, zone: await zoneOf(reader, behind) };
}

function change({ way, now, reader, say, signal }: DnsInput, { act, name, zone, value }: ProofChange): Promise<void> {
  return way.changeProof({ act, name, zone, value }, { now: now(), timeoutMs: reader.timeoutMs, signal, say });
}

async function untilSeen(
  { reader, patienceMs, say, signal }: DnsInput,
  { name, zone, value }: Place & { value: string },
): Promise<void> {
  const servers = await serversOf(reader, zone);
  if (servers.length === 0) {
    const message = `No authoritative server of ${zone} exists.`;
    throw new Trouble({
      code: 'no-name-servers',
      message,
      remedy: 'Check the NS records of the zone and the addresses of its servers.',
    });
  }
  const end = Date.now() + patienceMs;
  let lacking = servers;
  for (let wait = 500; ; wait = Math.min(wait * 2, 15_000)) {
    signal.throwIfAborted();
    const shown = await Promise.all(
      lacking.map(async (one) =>
        (await txtAt(one.server, name, reader.timeoutMs).catch((): string[] => [])).includes(value),
      ),
    );
    lacking = lacking.filter((_, index) => shown[index] === false);
    if (lacking.length === 0) return;
    if (Date.now() + wait > end) break;
    say(`waiting for ${lacking.map((one) => one.name).join(', ')} to show ${name}\n`);
    await pause(wait, undefined, { signal });
  }
  throw new Trouble({
    code: 'record-not-seen',
    message: `${lacking.map((one) => `${one.name} (${one.server.address})`).join(', ')} does not have the TXT record ${name}.`,
    remedy:
      'The authority was not asked. Wait until every name server of the zone has the record, then run this again.',
  });
}
