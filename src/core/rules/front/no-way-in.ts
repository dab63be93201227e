import { card, tell } from '../../findings/card.ts';
import type { Finding, Place } from '../../findings/finding.ts';
import { familyOf, inNetworks, isLinkLocal, isLoopback, isPrivate } from '../../networks/address.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'no-way-in',
  severity: 'error',
  summary: 'Nobody outside can reach the address of the front.',
  why: 'Your provider shares one public address between customers, or the address exists only behind your router. Opening ports does not help.',
  source: 'RFC 6598 (100.64.0.0/10); RFC 1918',
  messages: {
    shared: {
      message: 'The address {address} of the front is shared by your provider between many customers.',
      remedy:
        'Ask the provider for a public address of your own (IPv6 often has one already), or put the front on a machine that has one.',
    },
    other: {
      message: 'From outside you are at {seen}, but `front.address` says {written}.',
      remedy:
        'Correct `front.address`. If the address changes, write a name there and let a timer update it: mile-marker install timers',
    },
    behind: {
      message:
        'From outside you are at {seen}, but your router has {written}. Your provider shares one address between many customers.',
      remedy:
        'Ask the provider for a public address of your own (IPv6 often has one already), or put the front on a machine that has one.',
    },
    inside: {
      message: 'The interface `{name}` has the address {address}, which exists only inside your network.',
      remedy:
        'Write the public address under `front.address`, or a name that leads to it, and {address} under `front.home`.',
    },
  },
});

interface SeenInput {
  /** Addresses as somebody outside sees them. */
  seen: readonly string[];
  /** Addresses of the front as the map has them. */
  written: readonly string[];
  where: Place;
}

/** Compares what the world sees with what the map says, for each kind of address that both have. */
export function judgeSeen({ seen, written, where }: SeenInput): Finding[] {
  return seen.flatMap((address) => {
    const same = written.filter((one) => familyOf(one) === familyOf(address));
    if (same.length === 0 || same.includes(address)) return [];
    const say = same.some((one) => inNetworks(one, sharedNetwork)) ? 'behind' : 'other';
    return [tell(words, { say, data: { seen: address, written: same }, where, cause: `way-in:seen:${address}` })];
  });
}

const sharedNetwork = ['100.64.0.0/10'];

export const noWayIn: Rule = {
  card: words,
  check: ({ map, plan, host }) => {
    const where = plan.front.where;
    const shared = plan.front.addresses.filter((address) => inNetworks(address, sharedNetwork));
    const inside = map.front.addresses.flatMap((written) => {
      if (written.kind !== 'interface') return [];
      const own = host.addresses.filter((one) => one.interface === written.name && !isLinkLocal(one.address));
      // One public address is enough of a way in, as with IPv6 behind a router.
      if (own.length === 0 || own.some(({ address }) => !isPrivate(address) || isLoopback(address))) return [];
      return own.filter(({ address }) => !inNetworks(address, sharedNetwork)).slice(0, 1);
    });
    return [
      ...shared.map((address) => tell(words, { say: 'shared', data: { address }, where, cause: `way-in:${address}` })),
      ...inside.map(({ interface: name, address }) =>
        tell(words, { say: 'inside', data: { name, address }, where, cause: `way-in:${address}` }),
      ),
    ];
  },
};
