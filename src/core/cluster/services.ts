import type { Container, PublishedPort, Service } from '../inventory/inventory.ts';
import { indexed } from '../indexed.ts';
import type { Cluster, ClusterNode, ClusterService, ClusterTask } from './cluster.ts';

/** The services of a cluster as everything else knows services: a task is a container, on the node that runs it. */
export function servicesOfCluster(cluster: Cluster): Service[] {
  const nodes = indexed(cluster.nodes, 'id');
  const tasks = new Map<string, ClusterTask[]>();
  for (const task of cluster.tasks) tasks.set(task.service, [...(tasks.get(task.service) ?? []), task]);
  return cluster.services.map((service) => asService(service, tasks.get(service.id) ?? [], nodes));
}

function asService(
  service: ClusterService,
  tasks: readonly ClusterTask[],
  nodes: ReadonlyMap<string, ClusterNode>,
): Service {
  const { name: whole, stack, image, labels, networks: names } = service;
  const name = stack !== null && whole.startsWith(`${stack}_`) ? whole.slice(stack.length + 1) : whole;
  const networks = names.map((network) => ({ name: network, aliases: [name], address: null }));
  const usual = { networks, networkMode: null, restart: 'always', labels, mounts: [], exposed: [] };
  const containers = current(tasks).map((task): Container => {
    const node = nodes.get(task.node ?? '');
    const running = isRunning(task, nodes);
    return {
      ...usual,
      id: task.id,
      name: `${whole}.${String(task.slot ?? node?.name ?? '')}`,
      made: null,
      state: running ? 'running' : task.state === 'failed' ? 'exited' : 'created',
      health: null,
      exitCode: task.exitCode,
      project: stack,
      service: name,
      image,
      published: running && node !== undefined ? hostPorts(service, node) : [],
      listening: null,
    };
  });
  const mesh = service.ports.flatMap((port) => (port.how === 'ingress' ? [published(port, null)] : []));
  return {
    ...usual,
    machine: null,
    project: stack,
    name,
    containerName: null,
    image,
    published: [...containers.flatMap((container) => container.published), ...mesh],
    profiles: [],
    declared: null,
    containers,
    replaces: [],
    cluster: {
      name: whole,
      nodes: [...nodes.values()].map((node) => ({ name: node.name, address: node.address })),
      insidePorts: service.ports.flatMap(({ how, inside }) => (how === 'host' ? [inside] : [])),
      wanted: service.wanted ?? nodes.size,
      failures: tasks.flatMap(({ state, error }) => (state === 'failed' ? [error ?? 'it gives no reason'] : [])),
      waiting:
        tasks.find(({ state, isWanted, error }) => state === 'pending' && isWanted && error !== null)?.error ?? null,
      awayNodes: [...new Set(tasks.flatMap((task) => awayNode(task, nodes) ?? []))],
    },
  };
}

/** Of each slot what is there now, in an order that stays the same. */
function current(tasks: readonly ClusterTask[]): ClusterTask[] {
  const newest = new Map<string, ClusterTask>();
  for (const task of [...tasks].sort((a, b) => (a.at < b.at ? -1 : 1))) {
    const key = String(task.slot ?? task.node);
    const before = newest.get(key);
    // One that runs beside its successor still counts until it is told to end.
    if (before === undefined || task.isWanted || !before.isWanted) newest.set(key, task);
  }
  return [...newest].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, task]) => task);
}

/** A lost node cannot say that its tasks are no more. */
function isRunning({ state, isWanted, node }: ClusterTask, nodes: ReadonlyMap<string, ClusterNode>): boolean {
  return state === 'running' && isWanted && nodes.get(node ?? '')?.state === 'ready';
}

function awayNode({ node, isWanted }: ClusterTask, nodes: ReadonlyMap<string, ClusterNode>): string | null {
  const found = nodes.get(node ?? '');
  return found !== undefined && found.state !== 'ready' && isWanted ? found.name : null;
}

function hostPorts({ ports }: ClusterService, { address }: ClusterNode): PublishedPort[] {
  return ports.flatMap((port) => (port.how === 'host' ? [published(port, address)] : []));
}

function published(
  { protocol, inside: containerPort, outside: hostPort }: ClusterService['ports'][number],
  hostAddress: string | null,
): PublishedPort {
  return { protocol, containerPort, hostPort, hostAddress, where: null, written: null, inFlow: false };
}
