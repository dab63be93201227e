import { card } from '../../findings/card.ts';
import { inNetworks, isPrivate } from '../../networks/address.ts';
import { bad, ok, type LegResult } from '../leg.ts';

/** What the resolver said: addresses, or none, or why it could not say. */
export type DnsEvidence =
  | { kind: 'found'; addresses: string[] }
  | { kind: 'missing' }
  | { kind: 'no-answer'; reason: string }
  /** What is there for whoever does not look at the zone's signatures (RFC 4035 §5.5). */
  | { kind: 'bogus'; addresses: string[] };

const missing = card({
  id: 'dns-missing',
  severity: 'error',
  summary: 'A name on the map has no address in DNS.',
  why: 'Visitors get "server not found". A new record is visible after seconds to a day. A resolver that was asked too early remembers the missing name for a while.',
  source: 'RFC 1034 §4.3.2; RFC 2308 §5',
  messages: {
    none: {
      message: 'DNS has no address for {names}.',
      remedy: 'Add at your DNS provider (full list: mile-marker dns records): {records}',
    },
    edge: {
      message: 'DNS has no address for {names}.',
      remedy: 'Add the record that the edge asks for at your DNS provider.',
    },
  },
});

const elsewhere = card({
  id: 'dns-elsewhere',
  severity: 'error',
  summary: 'DNS sends a name to another address than the front.',
  why: 'Visitors reach another machine, or nothing.',
  source: 'RFC 1034 §3.6.2',
  messages: {
    all: {
      message: 'DNS sends {names} to {found}, but your front is {expected}.',
      remedy: 'Change the record to {record}, or correct `front.address` if the front has moved.',
    },
    private: {
      message:
        'DNS sends {names} to {found}, an address that exists only inside a home network. Your front is {expected}.',
      remedy: 'Change the public record to {record}. Private addresses belong in the DNS of your home only.',
    },
    edge: {
      message: 'DNS sends {names} to {strange}, which is not the edge ({expected}): visitors go past it.',
      remedy: 'Add the record that the edge asks for, or remove `front.edge` from the map.',
    },
    here: {
      message: 'This machine finds {names} at {found}, but the zone’s servers say {expected}.',
      remedy:
        'Remove the name from /etc/hosts of this machine. If it is not there, its resolver remembers an old answer: wait.',
    },
    some: {
      message: 'DNS sends {names} to {strange} as well as to your front, so some visitors end up elsewhere.',
      remedy: 'Remove the record with {strange}.',
    },
  },
});

const incomplete = card({
  id: 'dns-incomplete',
  severity: 'warning',
  summary: 'DNS lacks one of the addresses of the front for a name.',
  why: 'Visitors who have only that kind of address cannot reach it.',
  source: 'RFC 3596 §2 (AAAA); RFC 1034 §3.6.2',
  messages: {
    lacks: {
      message: 'DNS gives {names} the address {found}, but not {lacking}.',
      remedy: 'Add this record: {record}',
    },
  },
});

const noAnswer = card({
  id: 'dns-no-answer',
  severity: 'warning',
  summary: 'The resolver did not answer, so the name was not tested.',
  why: 'Visitors use other resolvers, which may answer.',
  source: 'RFC 1035 §4.1.1 (response codes)',
  messages: {
    reason: {
      message: 'The resolver {resolver} did not answer for {names}: {reason}.',
      remedy: 'Try again, or ask another resolver: mile-marker verify --resolver ADDRESS',
    },
  },
});

const bogus = card({
  id: 'dns-signature-bad',
  severity: 'error',
  summary: 'The zone is signed, and its signatures are not right.',
  why: 'Resolvers that check signatures (DNSSEC) give no answer, and visitors get "server not found". Other resolvers answer normally.',
  source: 'RFC 4035 §3.2.2, §5.5',
  messages: {
    bogus: {
      message:
        'The resolver {resolver} refuses to answer for {names}, but answers {found} without checking signatures (DNSSEC).',
      remedy:
        'Sign the zone again at your DNS provider. If it should not be signed, remove its DS record at your registrar. Then see: mile-marker dns check',
    },
  },
});

export const dnsCards = [bogus, missing, elsewhere, incomplete, noAnswer];

export interface DnsInput {
  name: string;
  evidence: DnsEvidence;
  /** Addresses of the front. */
  expected: readonly string[];
  /** Networks of the edge in front, in which every address must lie then. */
  edge?: readonly string[];
  /** The records that must stand at this name, as `dns records` lists them. */
  wanted?: readonly string[];
  /** What was asked, for people. */
  resolver: string;
}

/** Compares where DNS sends a name with where the front is. */
export function judgeDns({ name, evidence, expected: front, edge = [], wanted = [], resolver }: DnsInput): LegResult {
  const expected = edge.length > 0 ? edge : front;
  if (evidence.kind === 'no-answer') {
    const data = { resolver, reason: evidence.reason };
    return {
      ...bad('dns', 'resolver-silent', { card: noAnswer, say: 'reason', data, cause: `resolver:${resolver}` }),
      outcome: 'unsure',
    };
  }
  if (evidence.kind === 'bogus') {
    const data = { resolver, found: evidence.addresses };
    return bad('dns', 'bogus', { card: bogus, say: 'bogus', data, cause: `dns:bogus:${resolver}` });
  }
  if (evidence.kind === 'missing') {
    if (edge.length > 0)
      return bad('dns', 'name-missing', { card: missing, say: 'edge', data: {}, cause: 'dns:missing' });
    const own = wanted.length > 0 ? [...wanted] : expected.map((address) => records(name, [address]));
    return bad('dns', 'name-missing', { card: missing, say: 'none', data: { records: own }, cause: 'dns:missing' });
  }
  const found = evidence.addresses;
  const strange = found.filter((address) => (edge.length > 0 ? !inNetworks(address, edge) : !front.includes(address)));
  if (edge.length > 0) return strange.length === 0 ? ok('dns', 'resolves', found.join(' ')) : pastEdge(strange, edge);
  const lacking = front.filter((address) => !found.includes(address));
  const data = { found, expected: [...expected], strange, lacking };
  if (strange.length === found.length) {
    const say = found.every(isPrivate) && !expected.every(isPrivate) ? 'private' : 'all';
    const record = records('', expected).trim();
    return bad('dns', 'name-elsewhere', {
      card: elsewhere,
      say,
      data: { ...data, record },
      cause: `dns:elsewhere:${found.join(',')}`,
    });
  }
  if (strange.length > 0)
    return bad('dns', 'name-partly-elsewhere', {
      card: elsewhere,
      say: 'some',
      data,
      cause: `dns:strange:${strange.join(',')}`,
    });
  if (lacking.length > 0) {
    const record = records('', lacking).trim();
    return bad('dns', 'name-incomplete', {
      card: incomplete,
      say: 'lacks',
      data: { ...data, record },
      cause: `dns:lacking:${lacking.join(',')}`,
    });
  }
  return ok('dns', 'resolves', found.join(' '));
}

function pastEdge(strange: readonly string[], edge: readonly string[]): LegResult {
  const data = { strange: [...strange], expected: [...edge] };
  return bad('dns', 'past-edge', { card: elsewhere, say: 'edge', data, cause: `dns:edge:${strange.join(',')}` });
}

/**
 * What this machine finds, beside what the servers of the zone say: they decide what visitors get.
 *
 * @param zone what `dns check` makes of it; undefined when they say nothing
 */
export function besideZone(own: LegResult, zone: LegResult | undefined, { evidence, expected }: DnsInput): LegResult {
  if (zone === undefined) return own;
  if (zone.outcome !== 'ok') return zone;
  if (own.outcome !== 'wrong') return own;
  const found = evidence.kind === 'found' ? evidence.addresses : 'no address';
  const data = { found, expected: [...expected] };
  const problem = { card: elsewhere, say: 'here', data, severity: 'warning' as const };
  return bad('dns', 'name-elsewhere-here', { ...problem, cause: `dns:here:${String(found)}` });
}

/** Records as they stand in a zone file (RFC 1035 §5.1). */
function records(name: string, addresses: readonly string[]): string {
  const owner = name === '' ? '' : `${name}. `;
  return addresses.map((address) => `${owner}${address.includes(':') ? 'AAAA' : 'A'} ${address}`).join(' and ');
}
