import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readCluster } from '../../src/adapters/engine/read-cluster.ts';
import { servicesOfCluster } from '../../src/core/cluster/services.ts';
import type { Inventory, Service } from '../../src/core/inventory/inventory.ts';
import { resolveService } from '../../src/core/plan/resolve-service.ts';
import type { WhereFront } from '../../src/core/plan/where-front.ts';
import { allCards } from '../../src/core/findings/all-cards.ts';
import { told } from '../support/told.ts';

/** What a manager says, in answers that real ones gave; virtual IPs and the mesh, which not every kernel has, are known from these alone. */

type Json = Array<Record<string, unknown>>;

const sample = (name: string): Json =>
  JSON.parse(readFileSync(join(__dirname, `../files/cluster/${name}.json`), 'utf8')) as Json;

async function clusterOf(change: Partial<Record<'nodes' | 'services' | 'tasks', Json>> = {}): Promise<Service[]> {
  const answers: Record<string, Json> = {
    '/nodes': change.nodes ?? sample('nodes'),
    '/services': change.services ?? sample('services'),
    '/tasks': change.tasks ?? sample('tasks'),
    '/networks': sample('networks'),
  };
  return servicesOfCluster(await readCluster((path, form) => Promise.resolve(form.parse(answers[path]))));
}

const inventoryOf = (services: Service[]): Inventory => ({
  ...{ services, networks: [], asked: true, failed: false, machines: [], nodes: [] },
});
const onHost: WhereFront = { kind: 'host', service: null };
const onReeds: WhereFront = {
  kind: 'container',
  name: 'front',
  service: null,
  networks: ['saltmarsh_reeds'],
  inCluster: false,
};

function resolved(services: Service[], service: string, front: WhereFront): string {
  const leads = { kind: 'service', project: null, service, machine: null, port: 8080 } as const;
  const found = resolveService(leads, { inventory: inventoryOf(services), front });
  return found.kind === 'dialled'
    ? [found.upstream, ...(found.upstream.others ?? [])].map(({ host, port }) => `${host}:${String(port)}`).join(' ')
    : found.kind;
}

/** Its tasks are published on their nodes. */
function inHostMode(name: string, outside: number): Json {
  const ports = [{ Protocol: 'tcp', TargetPort: 8080, PublishedPort: outside, PublishMode: 'host' }];
  return sample('services').map((one) =>
    (one['Spec'] as { Name: string }).Name === name ? { ...one, Endpoint: { Ports: ports } } : one,
  );
}

test('services, their tasks on nodes, and where a front reaches them', async () => {
  const services = await clusterOf({ services: inHostMode('saltmarsh_tides', 8085) });
  expect(
    services.map(({ project, name, containers }) => [
      project,
      name,
      containers.map((one) => `${one.name} ${one.state}`),
    ]),
  ).toEqual([
    ['saltmarsh', 'tides', ['saltmarsh_tides.1 running', 'saltmarsh_tides.2 running']],
    ['saltmarsh', 'hide-cam', expect.arrayContaining(['saltmarsh_hide-cam.marsh1 running'])],
    ['saltmarsh', 'logbook', ['saltmarsh_logbook.1 running']],
  ]);
  expect(resolved(services, 'tides', onHost)).toBe('10.77.0.2:8085 10.77.0.3:8085');
  expect(resolved(services, 'tides', onReeds)).toBe('tasks.saltmarsh_tides:8080');
  // Nothing of it is published: from outside the cluster there is no way.
  expect(resolved(services, 'hide-cam', onHost)).toBe('port-not-published');
  // Where a task is known, its node is gone to before the mesh.
  expect(resolved(services, 'logbook', onHost)).toBe('10.77.0.1:8091');
  const meshed = inHostMode('saltmarsh_logbook', 1).map((one) => ({
    ...one,
    Endpoint: { Ports: [{ Protocol: 'tcp', TargetPort: 8080, PublishedPort: 8090, PublishMode: 'ingress' }] },
  }));
  expect(resolved(await clusterOf({ services: meshed }), 'logbook', onHost)).toBe('127.0.0.1:8090');
});

test('a lost node: its tasks are gone whatever it said last', async () => {
  const services = inHostMode('saltmarsh_tides', 8085);
  const lost = await clusterOf({ services, nodes: sample('nodes-one-down') });
  expect(resolved(lost, 'tides', onHost)).toBe('10.77.0.2:8085');
  expect(lost[0]?.cluster?.awayNodes).toEqual(['marsh3']);
});

const words = (rule: string): string => allCards.find(({ id }) => id === rule)?.summary ?? '';

test.each<[string, string, Partial<Record<'nodes' | 'services' | 'tasks', Json>>, string]>([
  [
    'cluster-no-task',
    'a task that no node may run',
    { tasks: sample('task-pending-no-node').map((task) => ({ ...task, ServiceID: idOf('saltmarsh_tides'), Slot: 1 })) },
    '`saltmarsh/tides` runs on no node: no suitable node (host-mode port already in use on 2 nodes; scheduling constraints not satisfied on 1 node). | See where it may run: docker service ps --no-trunc saltmarsh_tides',
  ],
  [
    'cluster-task-failing',
    'tasks that fail again and again',
    {
      tasks: [
        ...sample('tasks'),
        ...sample('tasks-failed').map((task) => ({ ...task, ServiceID: idOf('saltmarsh_tides') })),
      ],
    },
    '`saltmarsh/tides` has failed 4 times lately. The newest: task: non-zero exit (137). | Read why: docker service logs saltmarsh_tides',
  ],
  [
    'cluster-node-away',
    'a node that does not answer',
    { nodes: sample('nodes-one-down') },
    'A node that should run `saltmarsh/tides` does not answer: marsh3. | Check that the machine and its engine are up: docker node ls',
  ],
])('%s: %s', async (rule, _, change, said) => {
  expect(words(rule)).not.toBe('');
  const services = await clusterOf({ services: inHostMode('saltmarsh_tides', 8085), ...change });
  const found = told('engine: unix:///run/engine.sock\ncluster: true\nroads: {tides: "tides:8080"}\n', {
    compose: false,
    containers: [],
    services,
  });
  expect(found.filter((line) => line.startsWith(rule))).toEqual([`${rule}: ${said}`]);
  expect(found.filter((line) => /^(port-not-published|service-)/.test(line))).toEqual([]);
});

test('published through the mesh it is open on every node', async () => {
  const found = told('engine: unix:///run/engine.sock\ncluster: true\nroads: {log: "logbook:8080"}\n', {
    compose: false,
    containers: [],
    services: await clusterOf(),
  });
  expect(found).toContain(
    'cluster-port-open: `saltmarsh/logbook` is reachable past the front, on port 8090 of every node. | If the front runs in the cluster, take the port away: docker service update --publish-rm 8080 saltmarsh_logbook. If not, close the port on every node for everybody but the front.',
  );
});

function idOf(name: string): unknown {
  return sample('services').find((one) => (one['Spec'] as { Name: string }).Name === name)?.['ID'];
}
