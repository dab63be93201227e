import { card, tell } from '../../findings/card.ts';
import type { MapMachine, SiteMap } from '../../map/site-map.ts';
import { inNetworks, isLoopback, parseAddress, parseNetwork } from '../../networks/address.ts';
import { leadsOnMap } from '../on-roads.ts';
import type { Facts, Rule } from '../rule.ts';

const clear = card({
  id: 'machine-in-clear-text',
  severity: 'warning',
  summary: 'Requests go to another machine in clear text.',
  why: 'Everybody on the network between the machines can read and change it: cookies, passwords, pages.',
  source: 'RFC 9110 §17.1; map reference: private-networks',
  messages: {
    roads: {
      message: 'Roads to {machines} use clear text, to {addresses}.',
      remedy:
        'If nobody else is on that network (a tunnel, a cable of your own), write in the map: private-networks: [{networks}]. If not, switch on TLS in the service and write `to: https://{address}:PORT`.',
    },
  },
});

const engine = card({
  id: 'machine-engine-open',
  severity: 'warning',
  summary: 'The container engine of another machine is asked without TLS.',
  why: 'Anyone who reaches that port is root on that machine.',
  source: 'Engine API v1.41; RFC 8446',
  messages: {
    open: {
      message: 'The engine of {machine} is asked at {engine} without TLS: anyone who reaches that port is root there.',
      remedy:
        'Ask it through ssh instead: engine: ssh://USER@{address}. Or make it require client certificates, and name the folder with yours under `keys`.',
    },
  },
});

export const machineInClearText: Rule = {
  card: clear,
  check: ({ map, plan }) => {
    const clearTo = map.machines.flatMap((machine) => {
      const roads = isPrivate(machine.address, map) ? [] : roadsTo(machine, { map, plan });
      return roads.length === 0 ? [] : [{ machine, roads }];
    });
    const [first] = clearTo;
    if (first === undefined) return [];
    const addresses = clearTo.map(({ machine: { address } }) => address);
    const data = {
      machines: clearTo.map(({ machine: { name } }) => name),
      addresses,
      // One list has all of them.
      networks: [...map.privateNetworks, ...addresses.map((address) => parseNetwork(address) ?? 'NETWORK')],
      address: first.machine.address,
    };
    const roads = [...new Set(clearTo.flatMap((one) => one.roads))];
    return [tell(clear, { say: 'roads', data, roads, where: first.machine.where, cause: 'machines:clear' })];
  },
};

function roadsTo({ name }: MapMachine, facts: Pick<Facts, 'map' | 'plan'>): string[] {
  return leadsOnMap(facts).flatMap((one) =>
    one.leads.kind === 'service' && one.leads.machine === name && one.protocol === 'tcp' ? [one.name] : [],
  );
}

/** A name may lead anywhere. */
function isPrivate(address: string, { privateNetworks }: Pick<SiteMap, 'privateNetworks'>): boolean {
  return parseAddress(address) !== null && (isLoopback(address) || inNetworks(address, privateNetworks));
}

export const machineEngineOpen: Rule = {
  card: engine,
  check: ({ map, inventory }) =>
    map.machines.flatMap(({ name: machine, engine: at, keys, address, where }) => {
      // One that gave no answer may well demand TLS.
      const answers = inventory.machines.some(({ name, known, since }) => name === machine && known && since === null);
      if (!/^(tcp|http):/.test(at) || keys !== null || !answers) return [];
      const host = /^\w+:\/\/(\[[^\]]+\]|[^:/]+)/.exec(at)?.[1]?.replace(/^\[|\]$/g, '') ?? '';
      if (isPrivate(host, map)) return [];
      return [tell(engine, { say: 'open', data: { machine, engine: at, address }, where, cause: `engine:${machine}` })];
    }),
};
