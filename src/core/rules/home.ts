import { card, tell } from '../findings/card.ts';
import { homeNetworks } from '../networks/home.ts';
import { isLoopback } from '../networks/address.ts';
import { isOnHost } from '../way-in/way-in.ts';
import type { Rule } from './rule.ts';

const empty = card({
  id: 'home-is-empty',
  severity: 'warning',
  summary: 'The gate `home` lets nobody in but this machine itself.',
  why: 'On a rented server there is no network of yours, so a road with the gate `home`, which is what every new road has, is open to no visitor.',
  source: 'map reference: `gates`, `front.home-networks`',
  messages: {
    nobody: {
      message: '`home` is this machine alone, so nobody passes to {names}.',
      remedy:
        'Open what is for everybody: mile-marker set {first} gate everyone. For what is not, make a gate with people, or write a network of yours under `front`, such as that of a tunnel: home-networks: [10.77.0.0/24]',
    },
  },
});

export const homeIsEmpty: Rule = {
  card: empty,
  check: ({ plan, host, map }) => {
    const { networks } = homeNetworks(host, map.front.homeNetworks);
    const isAlone = networks.every((one) => isLoopback(one.split('/')[0] ?? ''));
    const shut = plan.roads.filter(({ gate }) =>
      gate.parts.some(({ name, people }) => name === 'home' && people === null),
    );
    const [first] = shut;
    if (!isAlone || first === undefined || !isOnHost({ plan, host })) return [];
    const data = { names: shut.map(({ name }) => name), first: first.name };
    return [tell(empty, { say: 'nobody', data, roads: data.names, where: first.where, cause: 'home:empty' })];
  },
};

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
