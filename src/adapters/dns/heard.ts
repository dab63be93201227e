import type { Answer } from 'dns-packet';
import type { Heard, Said } from '../../core/records/picture.ts';
import { parseAddress } from '../../core/networks/address.ts';
import { reasonOf } from '../trouble.ts';
import { queryServer, type DnsAnswer, type NameServer } from './query.ts';

const maxAliases = 8;

/** What a resolver says. One that fails is asked once more without looking at signatures: where it answers then, they are what it fails on. */
export async function hearResolver(
  server: NameServer,
  name: string,
  timeoutMs: number,
): Promise<Heard & { recursive?: boolean }> {
  const heard = await hear(server, name, timeoutMs);
  if (!heard.ok || heard.said.code !== 'SERVFAIL') return heard;
  return { ...heard, said: { ...heard.said, unchecked: await unchecked(server, name, timeoutMs) } };
}

/** What a resolver answers when it need not look at signatures (RFC 4035 §3.2.2, CD); null when it does not answer. */
export async function unchecked(server: NameServer, name: string, timeoutMs: number): Promise<string[] | null> {
  const again = await hear(server, name, timeoutMs, true);
  return again.ok ? again.said.addresses : null;
}

/** What one server says about the addresses of a name: A and AAAA together, behind the aliases that it knows itself. */
export async function hear(
  server: NameServer,
  name: string,
  timeoutMs: number,
  isUnchecked = false,
): Promise<Heard & { recursive?: boolean }> {
  try {
    const [v4, v6] = await Promise.all(
      (['A', 'AAAA'] as const).map((type) => queryServer(server, { name, type, unchecked: isUnchecked }, timeoutMs)),
    );
    if (v4 === undefined || v6 === undefined) return { ok: false, reason: 'no answer' };
    return { ok: true, said: merge(name, v4, v6), recursive: v4.recursive };
  } catch (error) {
    return { ok: false, reason: reasonOf(error) };
  }
}

function merge(name: string, v4: DnsAnswer, v6: DnsAnswer): Said {
  const { aliases, circle } = chainOf(name, [...v4.answers, ...v6.answers]);
  const found = [...v4.answers, ...v6.answers].flatMap((answer) =>
    answer.type === 'A' || answer.type === 'AAAA' ? [{ address: parseAddress(answer.data), ttl: answer.ttl ?? 0 }] : [],
  );
  const addresses = [...new Set(found.flatMap(({ address }) => address ?? []))].sort();
  const code = v4.code === 'NOERROR' ? v6.code : v4.code;
  return {
    // A server that fails for one kind of address only has still said something.
    code: addresses.length > 0 ? 'NOERROR' : code,
    aliases,
    circle,
    addresses,
    ttlSeconds: found.length === 0 ? null : Math.min(...found.map(({ ttl }) => ttl)),
    noForSeconds: addresses.length > 0 ? null : negativeTtl([...v4.authorities, ...v6.authorities]),
  };
}

/** RFC 2308 §5: the smaller of the SOA record's own time and its last field. */
function negativeTtl(authorities: readonly Answer[]): number | null {
  const times = authorities.flatMap((one) =>
    one.type === 'SOA' ? [Math.min(one.ttl ?? 0, one.data.minimum ?? Number.MAX_SAFE_INTEGER)] : [],
  );
  return times.length === 0 ? null : Math.max(...times);
}

/** The names that aliases lead over, the asked one first; empty without an alias. */
export function chainOf(name: string, answers: readonly Answer[]): { aliases: string[]; circle: boolean } {
  const aliases = new Map(
    answers.flatMap((answer) =>
      answer.type === 'CNAME' ? [[plainName(answer.name), plainName(answer.data)] as const] : [],
    ),
  );
  const passed = [name];
  for (let here = aliases.get(name); here !== undefined; here = aliases.get(here)) {
    if (passed.includes(here) || passed.length > maxAliases) return { aliases: passed, circle: true };
    passed.push(here);
  }
  return { aliases: passed.length === 1 ? [] : passed, circle: false };
}

export function plainName(name: string): string {
  return name.toLowerCase().replace(/\.$/, '');
}
