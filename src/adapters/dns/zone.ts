import { getServers } from 'node:dns';
import type { Answer } from 'dns-packet';
import { dnsName, oneLine, type DnsName } from '../../core/outside/words.ts';
import { parseAddress } from '../../core/networks/address.ts';
import { parseEndpoint } from '../probe/look-up.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { queryServer, type DnsAnswer, type NameServer, type Question } from './query.ts';

export interface ZoneReader {
  /** Whom questions go to: the given resolver, else the first of this machine. */
  resolver: NameServer;
  timeoutMs: number;
}

export function systemResolver(): NameServer | null {
  const [first] = getServers();
  return first === undefined ? null : parseEndpoint(first, 53, 'resolver');
}

/** @throws Trouble `no-resolver` when it gives no answer */
export async function ask({ resolver, timeoutMs }: ZoneReader, question: Question): Promise<DnsAnswer> {
  try {
    return await queryServer(resolver, question, timeoutMs);
  } catch (cause) {
    const message = `The resolver ${resolver.address} does not answer for ${question.name}: ${reasonOf(cause)}.`;
    throw new Trouble({ code: 'no-resolver', message, remedy: 'Use another one: --resolver ADDR[:PORT]', cause });
  }
}

const maxAliases = 8;

/** Where a name's records really stand: behind its aliases (RFC 1034 §3.6.2). Each of them is told. */
export async function followAliases(reader: ZoneReader, name: DnsName): Promise<{ name: DnsName; passed: string[] }> {
  const passed: string[] = [];
  let here = name;
  for (let step = 0; step <= maxAliases; step += 1) {
    const { answers } = await ask(reader, { name: here, type: 'CNAME' });
    const alias = answers.find((answer) => answer.type === 'CNAME' && same(answer.name, here));
    if (alias?.type !== 'CNAME') return { name: here, passed };
    passed.push(here);
    here = dnsName(alias.data) ?? refuseAlias(here, alias.data);
    if (passed.includes(here)) break;
  }
  const message = `The aliases of ${name} form a loop: ${passed.join(' -> ')}.`;
  throw new Trouble({ code: 'alias-circle', message, remedy: 'Correct the CNAME records.' });
}

/** Whatever DNS says goes into commands and records; an alias to what is no name would take more with it. */
function refuseAlias(from: string, to: string): never {
  throw new Trouble({
    code: 'alias-odd',
    message: `${from} is an alias of ${oneLine(JSON.stringify(to))}, which is no host name.`,
    remedy: `Correct the CNAME record of ${from}. Nothing was published.`,
  });
}

function same(a: string, b: string): boolean {
  return a.toLowerCase().replace(/\.$/, '') === b.toLowerCase().replace(/\.$/, '');
}

/** The zone that a name lies in: the owner of the SOA record (RFC 1034 §4.2.1). */
export async function zoneOf(reader: ZoneReader, name: string): Promise<string> {
  const labels = name.split('.');
  for (let from = 0; from < labels.length; from += 1) {
    const here = labels.slice(from).join('.');
    const { answers } = await ask(reader, { name: here, type: 'SOA' });
    if (answers.some((answer) => answer.type === 'SOA' && same(answer.name, here))) return here;
  }
  const message = `There is no zone for ${name}.`;
  throw new Trouble({ code: 'no-zone', message, remedy: 'Check that the domain is delegated to your name servers.' });
}

/** Of a zone's servers so many are asked; thirteen fit into a datagram of old (RFC 1035 §4.2.1), and nobody has a hundred. */
const mostServers = 100;

/** A zone's authoritative servers with an address of each. */
export async function serversOf(
  reader: ZoneReader,
  zone: string,
): Promise<Array<{ name: string; server: NameServer }>> {
  const { answers } = await ask(reader, { name: zone, type: 'NS' });
  const names = answers.flatMap((answer) => (answer.type === 'NS' ? (dnsName(answer.data) ?? []) : []));
  const found = await Promise.all(
    [...new Set(names)].slice(0, mostServers).map(async (name) => {
      // One whose address nobody tells is not asked, and the others are.
      const all = await Promise.all(
        (['A', 'AAAA'] as const).map((type) => ask(reader, { name, type }).catch(() => ({ answers: [] }))),
      );
      const addresses = all.flatMap((one) => addressesIn(one.answers));
      return addresses.map((address) => ({ name, server: { address, port: portAt(address, reader) } })).slice(0, 1);
    }),
  );
  return found.flat();
}

/** The usual port, unless we were told another one for that very address. */
function portAt(address: string, { resolver }: ZoneReader): number {
  return address === resolver.address ? resolver.port : 53;
}

function addressesIn(answers: readonly Answer[]): string[] {
  return answers.flatMap((answer) =>
    answer.type === 'A' || answer.type === 'AAAA' ? (parseAddress(answer.data) ?? []) : [],
  );
}

/** The TXT values that one server shows at a name. */
export async function txtAt(server: NameServer, name: string, timeoutMs: number): Promise<string[]> {
  const { answers } = await queryServer(server, { name, type: 'TXT' }, timeoutMs);
  return answers.flatMap((answer) => {
    if (answer.type !== 'TXT') return [];
    const parts = Array.isArray(answer.data) ? answer.data : [answer.data];
    return [parts.map((part) => part.toString()).join('')];
  });
}
