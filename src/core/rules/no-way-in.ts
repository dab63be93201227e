import { card, tell } from '../findings/card.ts';
import { inNetworks, isLoopback, isPrivate } from '../networks/address.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'no-way-in',
  severity: 'error',
  summary: 'Nobody outside can reach the address of the front.',
  why: 'Your provider shares one public address among many customers, or the address belongs to the network behind your router. No port that you open changes that.',
  source: 'RFC 6598 (100.64.0.0/10); RFC 1918',
  messages: {
    shared: {
      message: 'The address {address} of the front is one that your provider shares among many customers.',
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

const sharedNetwork = ['100.64.0.0/10'];

export const noWayIn: Rule = {
  card: words,
  check: ({ map, plan, host }) => {
    const where = plan.front.where;
    const shared = plan.front.addresses.filter((address) => inNetworks(address, sharedNetwork));
    const inside = map.front.addresses.flatMap((written) => {
      if (written.kind !== 'interface') return [];
      const own = host.addresses.filter((one) => one.interface === written.name && !one.address.startsWith('fe80:'));
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
