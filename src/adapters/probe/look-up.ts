import { lookup, Resolver } from 'node:dns/promises';
import type { DnsEvidence } from '../../core/legs/dns.ts';
import { familyOf, parseAddress, withPort } from '../../core/networks/address.ts';
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
  ETIMEOUT: 'it stays silent',
  ECONNREFUSED: 'nothing listens there',
  EAI_AGAIN: 'no resolver of this machine could be reached',
};

/** This machine's own way of looking names up, as its browsers do it: hosts file first, then its resolvers. */
export function systemNames(timeoutMs: number): NameSource {
  return {
    label: 'of this machine',
    addressesOf: (name) =>
      evidenceOf(async () => {
        const found = await inTime(lookup(name, { all: true }), timeoutMs);
        return found.map(({ address }) => address);
      }),
  };
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
  return { label: withPort(address, port), addressesOf: (name) => evidenceOf(() => inTime(both(name), timeoutMs * 2)) };
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

async function evidenceOf(find: () => Promise<string[]>): Promise<DnsEvidence> {
  try {
    const addresses = (await find()).flatMap((address) => parseAddress(address) ?? []);
    return addresses.length === 0 ? { kind: 'missing' } : { kind: 'found', addresses: [...new Set(addresses)].sort() };
  } catch (error) {
    const code = codeOf(error) ?? '';
    if (saysNo.includes(code)) return { kind: 'missing' };
    return { kind: 'no-answer', reason: words[code] ?? (error instanceof Error ? error.message : code) };
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
