import { card, tell } from '../findings/card.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'home-other-port',
  severity: 'warning',
  summary: 'At home the names lead to an address where the front listens on other ports than visitors ask for.',
  why: 'Nobody translates ports at home. Where the resolver there leads a name to the home address, a browser asks the usual port, and nothing answers.',
  source: 'map reference: `front.home`, `front.listen`',
  messages: {
    differs: {
      message:
        'At home the names lead to {home}, where the front listens on port {listen}. A browser there asks port {port}.',
      remedy:
        'Have the router forward port {port} to {port}, and remove `listen`. If another program has port {port} on this machine, see which: mile-marker survey --ports',
    },
  },
});

export const homeOtherPort: Rule = {
  card: words,
  check: ({ plan }) => {
    const { home, listen, ports, where } = plan.front;
    if (home.length === 0 || listen.https === ports.https) return [];
    const data = { home: [...home], listen: listen.https, port: ports.https };
    return [tell(words, { say: 'differs', data, where })];
  },
};
