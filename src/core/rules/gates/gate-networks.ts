import { asksFor, checkOf } from '../../gates/check.ts';
import { card, tell } from '../../findings/card.ts';
import { homeNetworks } from '../../networks/home.ts';
import { inNetworks, isLinkLocal, isLoopback, isPrivate } from '../../networks/address.ts';
import { overlap } from '../../networks/covering.ts';
import type { Facts, Rule } from '../rule.ts';

const router = card({
  id: 'gate-includes-router',
  severity: 'note',
  summary: 'A gate lets the router’s address in.',
  why: 'Many routers replace the address of visitors with their own, some for every visitor. Then everybody seems to be at home.',
  source: 'RFC 4787 §6, RFC 7857: hairpinning',
  messages: {
    gateway: {
      message: '`{gate}` lets in {gateway}, the default gateway of this machine.',
      remedy:
        'Remove `home-networks`: then `home` leaves out the router. If you need it, look in the log of the front whether visitors from outside have that address.',
    },
  },
});

export const gateIncludesRouter: Rule = {
  card: router,
  check: (facts) => {
    const { gateway } = facts.host;
    if (gateway === null) return [];
    return writtenNetworks(facts)
      .filter(({ networks }) => inNetworks(gateway, networks) && !networks.some((network) => network.endsWith('/0')))
      .map(({ gate, roads, where }) => tell(router, { say: 'gateway', data: { gate, gateway }, roads, where }));
  },
};

const containers = card({
  id: 'gate-includes-container-network',
  severity: 'warning',
  summary: 'A gate lets in a network of containers.',
  why: 'Every container on it passes the gate, and every visitor whose address the engine replaces with its own.',
  source: 'Engine API v1.41, NetworkInspect: IPAM.Config',
  messages: {
    network: {
      message: '`{gate}` lets in {network}, and {subnet} of it is a container network.',
      remedy: 'Remove it, unless containers may pass.',
    },
  },
});

export const gateIncludesContainers: Rule = {
  card: containers,
  check: (facts) => {
    const bridges = facts.host.addresses.filter(({ ofContainers }) => ofContainers).map(({ network }) => network);
    const subnets = [...new Set([...bridges, ...facts.inventory.networks.flatMap((one) => one.subnets)])];
    return writtenNetworks(facts).flatMap(({ gate, networks, roads, where }) => {
      for (const network of networks) {
        const subnet = subnets.find((one) => !network.endsWith('/0') && overlap(one, network));
        if (subnet !== undefined)
          return [tell(containers, { say: 'network', data: { gate, network, subnet }, roads, where })];
      }
      return [];
    });
  },
};

const ipv6 = card({
  id: 'gate-misses-home-ipv6',
  severity: 'warning',
  summary: 'A gate for a home network has IPv4 only, but visitors at home come over IPv6.',
  why: 'Browsers prefer IPv6 if the name has an AAAA record. Then a visitor at home is refused.',
  source: 'RFC 8305',
  messages: {
    missing: {
      message: '`{gate}` lets in {known}, but not {network}, which is the same network over IPv6.',
      remedy: 'Add it: "{network}". If your provider changes it now and then, write `gate: home` instead.',
    },
  },
});

export const gateMissesIpv6: Rule = {
  card: ipv6,
  check: (facts) => {
    const { host, plan } = facts;
    // Visitors come over IPv6 only when the front has such an address.
    if (!plan.front.addresses.some((address) => address.includes(':'))) return [];
    return writtenNetworks(facts).flatMap(({ gate, networks, roads, where }) => {
      for (const near of host.addresses) {
        if (
          near.ofContainers ||
          near.address.includes(':') ||
          !isPrivate(near.address) ||
          !inNetworks(near.address, networks)
        )
          continue;
        const beside = host.addresses.find(
          (other) =>
            other.interface === near.interface &&
            other.address.includes(':') &&
            !isLinkLocal(other.address) &&
            other.address !== '::1' &&
            !inNetworks(other.address, networks),
        );
        if (beside === undefined || near.interface === 'lo') continue;
        const data = { gate, known: near.network, network: beside.network };
        return [tell(ipv6, { say: 'missing', data, roads, where })];
      }
      return [];
    });
  },
};

const noHome = card({
  id: 'gate-without-home',
  severity: 'note',
  summary: 'The networks of a gate contain neither your home nor this machine.',
  why: 'One wrong digit in a network keeps everybody out. Or the network is somewhere else.',
  source: 'RFC 1918; RFC 4193',
  messages: {
    far: {
      message: '`{gate}` lets in {networks}: your home ({home}) and this machine are not in it.',
      remedy: 'If it is for home, write `gate: home` on its roads, or correct its `networks`.',
    },
  },
});

export const gateWithoutHome: Rule = {
  card: noHome,
  check: (facts) => {
    const { host, map } = facts;
    const home = homeNetworks(host, map.front.homeNetworks).networks.filter((one) => !isLoopback(baseOf(one)));
    if (home.length === 0) return [];
    return writtenNetworks(facts).flatMap(({ gate, networks, roads, where }) => {
      // Public networks are those of somebody else, and loopback is this machine alone.
      const isInside =
        networks.length > 0 &&
        networks.every((one) => isPrivate(baseOf(one)) && !isLoopback(baseOf(one)) && !one.endsWith('/0'));
      const isNear =
        networks.some((one) => home.some((other) => overlap(one, other))) ||
        host.addresses.some(({ address }) => inNetworks(address, networks));
      if (!isInside || isNear || roads.length === 0) return [];
      return [tell(noHome, { say: 'far', data: { gate, networks, home }, roads, where })];
    });
  },
};

function baseOf(network: string): string {
  return network.split('/')[0] ?? '';
}

const lost = card({
  id: 'true-client-address-lost',
  severity: 'warning',
  summary: 'A gate asks where visitors come from, but the front does not see their addresses.',
  why: 'The gate then lets in everybody or nobody, and a rate counts all visitors as one.',
  source: 'Engine documentation: the proxy for published ports without IPv6 in the container network',
  messages: {
    ipv6: {
      message:
        'The front runs in `{container}`, whose networks have no IPv6. Visitors of {address} arrive with an address of the engine.',
      remedy:
        'Give its network IPv6 (`enable_ipv6: true` in its Compose file), run it with `network_mode: host`, or remove the IPv6 address from `front.address`.',
    },
  },
});

export const trueClientAddressLost: Rule = {
  card: lost,
  check: ({ front, plan, inventory }) => {
    const address = plan.front.addresses.find((one) => one.includes(':'));
    if (front.kind !== 'container' || address === undefined || front.service === null) return [];
    const { networkMode, containers: runs, name } = front.service;
    const own = inventory.networks.filter((network) =>
      runs.some(({ networks }) => networks.some((one) => one.name === network.name)),
    );
    if (
      networkMode === 'host' ||
      own.length === 0 ||
      own.some(({ subnets }) => subnets.some((subnet) => subnet.includes(':')))
    )
      return [];
    const roads = plan.roads
      .filter(({ gate, rules }) => rules.rate !== null || asksFor(gate, 'networks'))
      .map((road) => road.name);
    if (roads.length === 0) return [];
    return [tell(lost, { say: 'ipv6', data: { container: name, address }, roads, where: plan.front.where })];
  },
};

/** Networks that a person wrote: of gates, and what `home` was said to be. */
function writtenNetworks({ map }: Pick<Facts, 'map'>): Array<{
  gate: string;
  networks: string[];
  roads: string[];
  where: Facts['map']['front']['where'];
}> {
  const roadsWith = (gate: string): string[] =>
    map.roads.filter(({ gates }) => gates.includes(gate)).map(({ name }) => name);
  const own = map.gates.flatMap((gate) => {
    const { name, where } = gate;
    const check = checkOf(gate, 'networks');
    return check === null ? [] : [{ gate: name, networks: check.networks, roads: roadsWith(name), where }];
  });
  const home = map.front.homeNetworks;
  return home === null
    ? own
    : [{ gate: 'home', networks: home, roads: roadsWith('home'), where: map.front.where }, ...own];
}
