import { card, tell } from '../../findings/card.ts';
import { titleOf } from '../../inventory/inventory.ts';
import { loopbackEntry } from '../../inventory/on-loopback.ts';
import { withPort } from '../../networks/address.ts';
import { rivalsOf } from '../../plan/answering.ts';
import { thenRecreate } from '../front/not-applied.ts';
import { leadsOnMap } from '../on-roads.ts';
import type { Facts, Rule } from '../rule.ts';

const shared = card({
  id: 'no-shared-network',
  severity: 'error',
  summary: "A road leads to a service that the front's container shares no network with.",
  why: 'Containers reach each other only on a shared network.',
  source: 'Compose Specification, section "networks"',
  messages: {
    join: {
      message: '`{service}` is on {networks}, and the front `{front}` on {own}: they share no container network.',
      remedy:
        'Under `networks` of the front add `{first}` (external: true). Or let Mile Marker write such a file: mile-marker write --compose',
    },
    unnamed: {
      message: '`{service}` is on no container network with a name, and names resolve only there.',
      remedy: 'Under its `networks` add one that the front `{front}` is on: {own}.',
    },
    cluster: {
      message: '`{service}` is on no network of the cluster, and the front on its nodes reaches no other.',
      remedy:
        'Run it as a service of the cluster: docker service create. Or join it to a network of the cluster that is made with --attachable: docker network connect NETWORK {service}',
    },
  },
});

const twice = card({
  id: 'name-answered-twice',
  severity: 'error',
  summary: "Two services share the name that the front's container uses for one of them.",
  why: 'The engine may pick either of them. Visitors can end up at the wrong one, past its gate.',
  source: 'Compose Specification, section "aliases"',
  messages: {
    twice: {
      message: '`{service}` is reached as `{name}`, but `{other}` on the network {network} has that name too.',
      remedy: 'Under `networks` of `{service}`, at `{own}`, write `aliases: [{alias}]`{then}',
    },
    'by-hand': {
      message: '`{service}` is reached as `{name}`, but `{other}` on the network {network} has that name too.',
      remedy:
        'Give it an alias of its own: docker network disconnect {own} {name}, then: docker network connect {options} {own} {name}',
    },
  },
});

const loopback = card({
  id: 'loopback-in-container',
  severity: 'error',
  summary: 'A road leads to loopback, but the front runs in a container.',
  why: 'Inside a container, loopback is the container itself. The front would find nothing there.',
  source: 'network_namespaces(7)',
  messages: {
    port: {
      message: '`{key}` leads to port {port} of this machine, but the front runs in the container `{front}`.',
      remedy:
        'Let the program listen on an address of this machine, and write `to: http://ADDRESS:{port}`, or give the front `network_mode: host`.',
    },
    service: {
      message:
        "`{key}` leads to `{service}`, which shares this machine's network, but the front runs in the container `{front}`.",
      remedy: 'Give the service a network that the front is on, or give the front `network_mode: host`.',
    },
  },
});

const bridge = card({
  id: 'bridge-address',
  severity: 'error',
  summary: 'A road leads to an address of a container network.',
  why: 'The engine assigns these addresses again at each start. After a reboot the road leads to another container, or nowhere.',
  source: 'Engine API v1.41, NetworkList: IPAM',
  messages: {
    owner: {
      message: '{address} is now `{service}`, on the container network {network}.',
      remedy: 'Write `to: {service}:{port}`.',
    },
    'owner-publish': {
      message: '{address} is now `{service}`, on the container network {network}.',
      remedy: 'Write `to: {service}:{port}`, and under `ports` of the service: {entry}',
    },
    nobody: {
      message: '{address} is in the container network {network}, but no container has it now.',
      remedy: 'Write the service instead: `to: SERVICE:{port}`.',
    },
  },
});

const host = card({
  id: 'host-network',
  severity: 'warning',
  summary: "A service on a road shares this machine's network.",
  why: 'Each port that it opens is open on every address of this machine, past the front and its gates, unless the program itself listens on loopback only.',
  source: 'Compose Specification, section "network_mode"',
  messages: {
    host: {
      message:
        "`{service}` shares this machine's network (network_mode: host): port {port} can be reached past the front.",
      remedy:
        'Remove `network_mode: host` and publish what is needed: {entry}; or let the program listen on 127.0.0.1.',
    },
  },
});

const absent = card({
  id: 'front-container-unknown',
  severity: 'note',
  summary: "The front's container does not exist yet.",
  why: 'Mile Marker assumes that it will share a network with each service.',
  source: 'map reference, `front.container`',
  messages: {
    unknown: {
      message: 'The container `{front}` of the front does not exist yet.',
      remedy: 'Write a Compose file for it: mile-marker write --compose',
    },
    cluster: {
      message: 'The front is not a service of the cluster yet.',
      remedy: 'Make it live: mile-marker install',
    },
  },
});

export const frontContainerUnknown: Rule = {
  card: absent,
  check: ({ front, plan }) =>
    front.kind === 'container' && front.service === null
      ? [
          tell(absent, {
            say: front.inCluster ? 'cluster' : 'unknown',
            data: { front: front.name },
            where: plan.front.where,
          }),
        ]
      : [],
};

const isCluster = ({ front }: Facts): boolean => front.kind === 'container' && front.inCluster;

export const noSharedNetwork: Rule = {
  card: shared,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, resolution: found, where }) => {
      if (found?.kind !== 'no-shared-network' || found.service === null) return [];
      const { networks, front: own, service } = found;
      const data = {
        service: titleOf(service),
        networks,
        first: networks[0] ?? '',
        own: own.length === 0 ? ['none'] : own,
        front: facts.plan.front.container,
      };
      const say = isCluster(facts) ? 'cluster' : networks.length === 0 ? 'unnamed' : 'join';
      return [tell(shared, { say, data, roads: [name], where, cause: `network:${titleOf(service)}` })];
    }),
};

export const nameAnsweredTwice: Rule = {
  card: twice,
  check: ({ map, plan, front, inventory, host: { compose } }) =>
    leadsOnMap({ map, plan }).flatMap(({ name: road, resolution: found, where }) => {
      if (front.kind !== 'container' || found?.kind !== 'dialled' || !found.upstream.byName) return [];
      const { service, upstream } = found;
      if (service === null || service.machine !== null || service.cluster !== null) return [];
      const [rival] = rivalsOf(service, { name: upstream.host, networks: front.networks }, inventory);
      if (rival === undefined) return [];
      const { project, name, networks } = service;
      const join = networks.find((one) => front.networks?.includes(one.name) ?? true);
      const own = join?.name ?? '';
      const alias = `${name}-alone`;
      const data = {
        ...{ service: titleOf(service), name: upstream.host, alias, then: thenRecreate([service], compose) },
        ...{ other: titleOf(rival.service), network: rival.network },
        // Compose puts the project before a network's key.
        own: project !== null && own.startsWith(`${project}_`) ? own.slice(project.length + 1) : own,
        // Leaving a network takes away what others may call it there.
        options: [...(join?.aliases ?? []), alias].map((one) => `--alias ${one}`).join(' '),
      };
      const say = project === null ? 'by-hand' : 'twice';
      return [tell(twice, { say, data, roads: [road], where, cause: `twice:${titleOf(service)}` })];
    }),
};

export const loopbackInContainer: Rule = {
  card: loopback,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, key, leads, resolution: found, where }) => {
      if (found?.kind !== 'loopback' || !('port' in leads)) return [];
      const { service } = found;
      const data = { key, port: leads.port, front: facts.plan.front.container, service: service?.name ?? '' };
      return [tell(loopback, { say: service === null ? 'port' : 'service', data, roads: [name], where })];
    }),
};

export const bridgeAddress: Rule = {
  card: bridge,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, leads, protocol, resolution: found, where }) => {
      if (found?.kind !== 'bridge' || (leads.kind !== 'url' && leads.kind !== 'endpoint')) return [];
      const { owner, network } = found;
      const { host: address, port } = leads;
      const published = owner?.published.some(
        ({ containerPort, hostPort }) => containerPort === port && hostPort !== null,
      );
      const say =
        owner === null ? 'nobody' : published === true || facts.front.kind === 'container' ? 'owner' : 'owner-publish';
      const entry = owner === null ? '' : loopbackEntry(owner, port, port, protocol);
      const about = { network, port, entry };
      const data = { address: withPort(address, port), service: owner === null ? '' : titleOf(owner), ...about };
      return [tell(bridge, { say, data, roads: [name], where })];
    }),
};

export const hostNetwork: Rule = {
  card: host,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, leads, protocol, resolution, where: ofPart }) => {
      const service = resolution?.service ?? null;
      if (service?.networkMode !== 'host' || !('port' in leads)) return [];
      const entry = loopbackEntry(service, leads.port, leads.port, protocol);
      const data = { service: titleOf(service), port: leads.port, entry };
      const where = service.declared?.where ?? ofPart;
      return [tell(host, { say: 'host', data, roads: [name], where, cause: `host-network:${titleOf(service)}` })];
    }),
};
