import pLimit from 'p-limit';
import type { Answer } from 'dns-packet';
import { parseAddress } from '../../core/networks/address.ts';
import type { FoundRecord } from '../../core/records/change.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { plainName } from './heard.ts';
import { queryServer, type NameServer } from './query.ts';

interface FoundRecords {
  records: FoundRecord[];
  /** Kinds of other records at a name, beside which no alias may stand. */
  shared: Map<string, string[]>;
  /** Names and types that a wildcard record may have answered for, as "NAME TYPE". */
  unsure: Set<string>;
}

const abreast = 16;
const ours = ['CNAME', 'A', 'AAAA', 'CAA'] as const;
const others = ['MX', 'TXT', 'NS', 'SRV'] as const;

/**
 * What stands at some names on one authoritative server: addresses and aliases, CAA, and which kinds of other records.
 *
 * @throws Trouble `server-unanswered`
 */
export async function readRecords(
  server: NameServer,
  names: readonly string[],
  timeoutMs: number,
): Promise<FoundRecords> {
  const limit = pLimit(abreast);
  const shared = new Map<string, string[]>();
  const found = await Promise.all(
    names.map(async (name) => {
      const all = await Promise.all(
        [...ours, ...others].map((type) => limit(() => answersOf(server, name, type, timeoutMs))),
      );
      const own = all.flat().filter((answer) => plainName(answer.name) === name);
      const kinds = [...new Set(own.map(({ type }) => type))].filter((type) => others.some((one) => one === type));
      if (kinds.length > 0) shared.set(name, kinds);
      return unique(own.flatMap(recordOf));
    }),
  );
  const records = found.flat();
  return { records, shared, unsure: await fromWildcards(server, records, timeoutMs) };
}

/** Who answers from a wildcard shows the asked name (RFC 4592 §3.3.1); only the same data at the wildcard tells. */
async function fromWildcards(
  server: NameServer,
  records: readonly FoundRecord[],
  timeoutMs: number,
): Promise<Set<string>> {
  const plain = records.filter(({ name }) => !name.startsWith('*.') && name.includes('.'));
  const stars = [...new Set(plain.map(({ name }) => name.split('.').slice(1).join('.')))];
  const atStars = await Promise.all(
    stars.map(async (above) => {
      const all = await Promise.all(
        (['A', 'AAAA', 'CNAME'] as const).map((type) => answersOf(server, `*.${above}`, type, timeoutMs)),
      );
      return all
        .flat()
        .flatMap(recordOf)
        .map(({ type, data }) => `${above} ${type} ${data}`);
    }),
  );
  const known = new Set(atStars.flat());
  const same = plain.filter(({ name, type, data }) =>
    known.has(`${name.split('.').slice(1).join('.')} ${type} ${data}`),
  );
  return new Set(same.map(({ name, type }) => `${name} ${type}`));
}

async function answersOf(
  server: NameServer,
  name: string,
  type: (typeof ours)[number] | (typeof others)[number],
  timeoutMs: number,
): Promise<Answer[]> {
  try {
    const { answers } = await queryServer(server, { name, type }, timeoutMs);
    return answers;
  } catch (cause) {
    const message = `The name server ${server.address} does not answer for ${name}: ${reasonOf(cause)}.`;
    throw new Trouble({
      code: 'server-unanswered',
      message,
      remedy: 'Check `dns.server` in the map, and that it runs.',
      cause,
    });
  }
}

function recordOf(answer: Answer): FoundRecord[] {
  const name = plainName(answer.name);
  const ttlSeconds = 'ttl' in answer ? (answer.ttl ?? 0) : 0;
  if (answer.type === 'A' || answer.type === 'AAAA') {
    return [{ name, type: answer.type, ttlSeconds, data: parseAddress(answer.data) ?? answer.data }];
  }
  if (answer.type === 'CNAME') return [{ name, type: 'CNAME', ttlSeconds, data: `${plainName(answer.data)}.` }];
  if (answer.type !== 'CAA') return [];
  const { flags = 0, tag, value } = answer.data;
  return [{ name, type: 'CAA', ttlSeconds, data: `${String(flags)} ${tag} "${value}"` }];
}

/** An alias comes back as the answer to each question about its name. */
function unique(records: readonly FoundRecord[]): FoundRecord[] {
  const seen = new Map(records.map((record) => [`${record.type} ${record.data}`, record]));
  return [...seen.values()];
}
