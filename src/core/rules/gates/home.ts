import { card, tell } from '../../findings/card.ts';
import { homeNetworks } from '../../networks/home.ts';
import { isLoopback } from '../../networks/address.ts';
import { isOnHost } from '../../way-in/way-in.ts';
import type { Rule } from '../rule.ts';

const empty = card({
  id: 'home-is-empty',
  severity: 'warning',
  summary: 'The gate `home` lets in only this machine.',
  why: 'A rented server has no home network. Every new road has the gate `home`, so no visitor can use it.',
  source: 'map reference: `gates`, `front.home-networks`',
  messages: {
    nobody: {
      message: '`home` is only this machine here, so nobody can open {names}.',
      remedy:
        'To open a road to everybody: mile-marker set {first} gate everyone. For the others, add a gate with people, or write your own network under `front`, such as your tunnel’s: home-networks: [10.77.0.0/24]',
    },
  },
});

export const homeIsEmpty: Rule = {
  card: empty,
  check: ({ plan, host, map }) => {
    const { networks } = homeNetworks(host, map.front.homeNetworks);
    const isAlone = networks.every((one) => isLoopback(one.split('/')[0] ?? ''));
    const shut = plan.roads.filter(({ gate }) => gate.parts.some(({ name }) => name === 'home'));
    const [first] = shut;
    if (!isAlone || first === undefined || !isOnHost({ plan, host })) return [];
    const data = { names: shut.map(({ name }) => name), first: first.name };
    return [tell(empty, { say: 'nobody', data, roads: data.names, where: first.where, cause: 'home:empty' })];
  },
};

const words = card({
  id: 'home-other-port',
  severity: 'warning',
  summary: 'At home the names lead to the front’s machine, but to the wrong port.',
  why: 'At home the router does not translate ports. A browser uses the standard port, where nothing answers.',
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
