import { getServers, lookup, Resolver } from 'node:dns/promises';
import type { DnsEvidence } from '../../core/legs/way/dns.ts';
import { familyOf, parseAddress, withPort } from '../../core/networks/address.ts';
import { unchecked } from '../dns/heard.ts';
import type { NameServer } from '../dns/query.ts';
import { codeOf, Trouble } from '../trouble.ts';
import { TimeUp } from './failure.ts';

/** @property label what is asked, for people */
export interface NameSource {
  label: string;
  addressesOf: (name: string) => Promise<DnsEvidence>;
}

/** Answers that mean "there is no such address" rather than "I cannot say". */
const saysNo = ['ENOTFOUND', 'ENODATA'];

const words: Record<string, string> = {
  ESERVFAIL: 'it reports a failure (SERVFAIL)',
  EREFUSED: 'it refuses the question (REFUSED)',
  ETIMEOUT: 'it does not answer',
  ECONNREFUSED: 'nothing listens there',
  EAI_AGAIN: 'no resolver of this machine could be reached',
};

/** This machine's own way of looking names up, as its browsers do it: hosts file first, then its resolvers. */
export function systemNames(timeoutMs: number): NameSource {
  return {
    label: 'of this machine',
    addressesOf: (name) =>
      signed(firstOfSystem(), name, timeoutMs, async () => {
        const found = await inTime(lookup(name, { all: true }), timeoutMs);
        return found.map(({ address }) => address);
      }),
  };
}

function firstOfSystem(): NameServer | null {
  const [first] = getServers();
  return first === undefined ? null : parseEndpoint(first, 53, 'resolver');
}

/** One given resolver, asked for A and AAAA. */
export function resolverNames(
  { address, port }: { address: string; port: number },
  timeoutMs: number,
  from: string | null = null,
): NameSource {
  const resolver = new Resolver({ timeout: timeoutMs, tries: 1 });
  resolver.setServers([withPort(address, port)]);
  if (from !== null && familyOf(from) === familyOf(address)) resolver.setLocalAddress(...localPair(from));
  const both = async (name: string): Promise<string[]> => {
    const [v4, v6] = await Promise.allSettled([resolver.resolve4(name), resolver.resolve6(name)]);
    const found = [v4, v6].flatMap((result) => (result.status === 'fulfilled' ? result.value : []));
    if (found.length > 0) return found;
    const refused = [v4, v6].flatMap((result) => (result.status === 'rejected' ? [result.reason as unknown] : []));
    throw refused.find((error) => !saysNo.includes(codeOf(error) ?? '')) ?? refused[0] ?? new Error('no answer');
  };
  return {
    label: withPort(address, port),
    addressesOf: (name) => signed({ address, port }, name, timeoutMs, () => inTime(both(name), timeoutMs * 2)),
  };
}

/** Node wants both families; the one that is not used stays free. */
function localPair(from: string): [string, string] {
  return familyOf(from) === 4 ? [from, '::0'] : ['0.0.0.0', from];
}

/** Reads `ADDRESS[:PORT]` as it stands on the command line. IPv6 with a port in brackets. */
export function parseEndpoint(
  text: string,
  defaultPort: number,
  option: string,
): { address: string; port: number; hasPort: boolean } {
  const whole = parseAddress(text);
  if (whole !== null) return { address: whole, port: defaultPort, hasPort: false };
  const match = /^(.+):(\d{1,5})$/.exec(text);
  const address = match === null ? null : parseAddress(match[1] ?? '');
  const port = Number(match?.[2] ?? 0);
  if (address !== null && port >= 1 && port <= 65_535) return { address, port, hasPort: true };
  const remedy = `Write ${option} 203.0.113.24, ${option} 203.0.113.24:${String(defaultPort)} or ${option} "[2001:db8:40::24]:${String(defaultPort)}".`;
  throw new Trouble({
    code: 'endpoint-form',
    message: `${option} expects ADDRESS[:PORT]. Found: ${text}`,
    remedy,
    exitCode: 2,
  });
}

/** A resolver that fails may do so for the signatures of the zone alone. */
async function signed(
  server: NameServer | null,
  name: string,
  timeoutMs: number,
  find: () => Promise<string[]>,
): Promise<DnsEvidence> {
  const { evidence, code } = await evidenceOf(find);
  if (server === null || !failures.includes(code)) return evidence;
  const addresses = await unchecked(server, name, timeoutMs);
  return addresses === null || addresses.length === 0 ? evidence : { kind: 'bogus', addresses };
}

/** Codes of a resolver that fails by itself; this machine's own functions tell it as one that should be tried again. */
const failures = ['ESERVFAIL', 'EAI_AGAIN'];

async function evidenceOf(find: () => Promise<string[]>): Promise<{ evidence: DnsEvidence; code: string }> {
  try {
    const addresses = (await find()).flatMap((address) => parseAddress(address) ?? []);
    const found = [...new Set(addresses)].sort();
    return { evidence: found.length === 0 ? { kind: 'missing' } : { kind: 'found', addresses: found }, code: '' };
  } catch (error) {
    const code = codeOf(error) ?? '';
    if (saysNo.includes(code)) return { evidence: { kind: 'missing' }, code };
    const reason = words[code] ?? (error instanceof Error ? error.message : code);
    return { evidence: { kind: 'no-answer', reason }, code };
  }
}

async function inTime<T>(work: Promise<T>, timeoutMs: number): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new TimeUp('no answer', timeoutMs)), timeoutMs);
  });
  try {
    return await Promise.race([work, late]);
  } finally {
    clearTimeout(timer);
  }
}
