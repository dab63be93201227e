import { card, tell } from '../../findings/card.ts';
import { isRunning, titleOf } from '../../inventory/inventory.ts';
import { servicesAndFront } from '../on-roads.ts';
import type { Rule } from '../rule.ts';

const none = card({
  id: 'cluster-no-task',
  severity: 'warning',
  summary: 'A service of the cluster that a road leads to runs on no node.',
  why: 'The front answers 502 to every visitor until it does.',
  source: 'Engine API v1.41, TaskList: Status',
  messages: {
    waiting: {
      message: '`{service}` runs on no node: {why}.',
      remedy: 'See where it may run: docker service ps --no-trunc {name}',
    },
    ended: {
      message: '`{service}` runs on no node. Its last message: {why}.',
      remedy: 'Read why: docker service logs {name}',
    },
    zero: {
      message: '`{service}` is scaled to 0.',
      remedy: 'Start it: docker service scale {name}=1',
    },
    unknown: {
      message: '`{service}` runs on no node yet.',
      remedy: 'See its state: docker service ps --no-trunc {name}',
    },
  },
});

const failing = card({
  id: 'cluster-task-failing',
  severity: 'warning',
  summary: 'Tasks of a service in the cluster fail again and again.',
  why: 'Each time, running requests are lost.',
  source: 'Engine API v1.41, TaskList: Status.Err',
  messages: {
    failing: {
      message: '`{service}` has failed {count} times lately. The newest: {why}.',
      remedy: 'Read why: docker service logs {name}',
    },
  },
});

const away = card({
  id: 'cluster-node-away',
  severity: 'warning',
  summary: 'A node of the cluster with tasks of a service does not answer.',
  why: 'Its tasks are unreachable until the cluster starts them elsewhere.',
  source: 'Engine API v1.41, NodeList: Status.State',
  messages: {
    away: {
      message: 'A node that should run `{service}` does not answer: {nodes}.',
      remedy: 'Check that the machine and its engine are up: docker node ls',
    },
  },
});

const mesh = card({
  id: 'cluster-port-open',
  severity: 'warning',
  summary: 'A service on a road is also published on every node, through the mesh.',
  why: 'Anyone who uses that port on any node bypasses the gate and TLS. It is forwarded before the input rules of a firewall.',
  source: 'Engine API v1.41, ServiceList: Endpoint.Ports.PublishMode',
  messages: {
    open: {
      message: '`{service}` is reachable past the front, on port {outside} of every node.',
      remedy:
        'If the front runs in the cluster, take the port away: docker service update --publish-rm {inside} {name}. If not, close the port on every node for everybody but the front.',
    },
  },
});

/** So many failures that the engine still remembers are no chance any more. */
const often = 3;

export const clusterNoTask: Rule = {
  card: none,
  check: (facts) =>
    servicesAndFront(facts).flatMap(({ service, roads, where }) => {
      const { cluster } = service;
      if (cluster === null || isRunning(service)) return [];
      const { name, wanted, waiting, failures } = cluster;
      const why = (waiting ?? failures.at(-1) ?? '').replace(/\.$/, '');
      const say = wanted === 0 ? 'zero' : waiting !== null ? 'waiting' : failures.length > 0 ? 'ended' : 'unknown';
      const data = { service: titleOf(service), name, why };
      return [tell(none, { say, data, roads, where, cause: `no-task:${name}` })];
    }),
};

export const clusterTaskFailing: Rule = {
  card: failing,
  check: (facts) =>
    servicesAndFront(facts).flatMap(({ service, roads, where }) => {
      const { cluster } = service;
      if (cluster === null || cluster.failures.length < often || !isRunning(service)) return [];
      const { name, failures } = cluster;
      const why = (failures.at(-1) ?? '').replace(/\.$/, '');
      const data = { service: titleOf(service), name, count: failures.length, why };
      return [tell(failing, { say: 'failing', data, roads, where, cause: `failing:${name}` })];
    }),
};

export const clusterNodeAway: Rule = {
  card: away,
  check: (facts) =>
    servicesAndFront(facts).flatMap(({ service, roads, where }) => {
      const nodes = service.cluster?.awayNodes ?? [];
      if (nodes.length === 0) return [];
      const data = { service: titleOf(service), nodes };
      return [tell(away, { say: 'away', data, roads, where, cause: `away:${nodes.join(',')}` })];
    }),
};

export const clusterPortOpen: Rule = {
  card: mesh,
  check: (facts) =>
    servicesAndFront(facts).flatMap(({ service, roads, where }) => {
      const { cluster } = service;
      if (cluster === null || service === facts.front.service) return [];
      return service.published.flatMap(({ hostAddress, hostPort, containerPort: inside }) => {
        if (hostAddress !== null || hostPort === null) return [];
        const data = { service: titleOf(service), outside: hostPort, inside, name: cluster.name };
        return [tell(mesh, { say: 'open', data, roads, where, cause: `mesh:${String(hostPort)}` })];
      });
    }),
};
