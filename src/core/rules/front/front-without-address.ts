import { card, tell } from '../../findings/card.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'front-without-address',
  severity: 'error',
  summary: 'The front takes its address from an interface that has none.',
  why: 'Without the address it is not clear whether DNS points at it.',
  source: 'map reference: `front.address`',
  messages: {
    none: {
      message: 'The interface `{name}` of this machine has no address, or does not exist. This machine has: {known}.',
      remedy: 'Correct the name, or write the public address itself under `front.address`.',
    },
  },
});

export const frontWithoutAddress: Rule = {
  card: words,
  check: ({ map, plan, host }) => {
    const known = [...new Set(host.addresses.map((address) => address.interface))];
    return map.front.addresses.flatMap((address) => {
      if (address.kind !== 'interface' || known.includes(address.name)) return [];
      const data = { name: address.name, known };
      return [tell(words, { say: 'none', data, where: plan.front.where, cause: `interface:${address.name}` })];
    });
  },
};
