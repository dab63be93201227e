import * as z from 'zod';
import type { Cluster } from '../../core/cluster/cluster.ts';

/** What of a manager's answers is used (Engine API v1.41: NodeList, ServiceList, TaskList, NetworkList). */

const texts = z.record(z.string(), z.string().nullish()).nullish();

const nodesAnswer = z.array(
  z.object({
    ID: z.string(),
    Spec: z.object({ Availability: z.enum(['active', 'pause', 'drain']) }),
    Description: z.object({ Hostname: z.string().nullish() }).nullish(),
    // Samples of older engines have it here.
    Hostname: z.string().nullish(),
    Status: z.object({ State: z.string(), Addr: z.string().nullish() }),
    ManagerStatus: z.object({ Addr: z.string().nullish() }).nullish(),
  }),
);

const portAnswer = z.object({
  Protocol: z.string(),
  TargetPort: z.number(),
  PublishedPort: z.number().nullish(),
  PublishMode: z.string().nullish(),
});

const servicesAnswer = z.array(
  z.object({
    ID: z.string(),
    Spec: z.object({
      Name: z.string(),
      Labels: texts,
      TaskTemplate: z.object({
        ContainerSpec: z.object({ Image: z.string().nullish(), Labels: texts }).nullish(),
        Networks: z.array(z.object({ Target: z.string() })).nullish(),
      }),
      Mode: z.object({ Replicated: z.object({ Replicas: z.number().nullish() }).nullish() }).nullish(),
    }),
    Endpoint: z.object({ Ports: z.array(portAnswer).nullish() }).nullish(),
  }),
);

const tasksAnswer = z.array(
  z.object({
    ID: z.string(),
    ServiceID: z.string().nullish(),
    NodeID: z.string().nullish(),
    Slot: z.number().nullish(),
    DesiredState: z.string(),
    Status: z.object({
      State: z.string(),
      Timestamp: z.string().nullish(),
      Message: z.string().nullish(),
      Err: z.string().nullish(),
      ContainerStatus: z.object({ ExitCode: z.number().nullish() }).nullish(),
    }),
  }),
);

const networksAnswer = z.array(z.object({ Name: z.string(), Id: z.string() }));

/** Asks one path for an answer of a form. */
export type Get = <T extends z.ZodType>(path: string, form: T) => Promise<z.output<T>>;

/** Asks a manager for its nodes, services and tasks. @throws what `get` throws */
export async function readCluster(get: Get): Promise<Cluster> {
  const [nodes, services, tasks, networks] = await Promise.all([
    get('/nodes', nodesAnswer),
    get('/services', servicesAnswer),
    get('/tasks', tasksAnswer),
    get('/networks', networksAnswer),
  ]);
  const networkNames = new Map(networks.map(({ Id: id, Name: name }) => [id, name]));
  return {
    nodes: nodes.map(
      ({ ID: id, Spec: spec, Description: about, Hostname: hostname, Status: status, ManagerStatus: manager }) => ({
        id,
        name: about?.Hostname ?? hostname ?? id,
        address: addressOf(status.Addr, manager?.Addr),
        state: status.State,
        availability: spec.Availability,
      }),
    ),
    services: services.map((service) => asService(service, networkNames)),
    tasks: tasks.map(
      ({ ID: id, ServiceID: service, NodeID: node, Slot: slot, DesiredState: desired, Status: status }) => ({
        id,
        service: service ?? '',
        node: node ?? null,
        slot: slot ?? null,
        state: status.State,
        isWanted: desired === 'running' || desired === 'ready',
        error: status.Err ?? null,
        exitCode: status.ContainerStatus?.ExitCode ?? 0,
        at: status.Timestamp ?? '',
      }),
    ),
  };
}

/** A manager may know itself by no address; then the one at which other managers find it counts. */
function addressOf(own: string | null | undefined, manager: string | null | undefined): string {
  if (own !== null && own !== undefined && own !== '' && own !== '0.0.0.0') return own;
  return manager?.replace(/:\d+$/, '').replace(/^\[|\]$/g, '') ?? '';
}

function asService(
  { ID: id, Spec: spec, Endpoint: endpoint }: z.output<typeof servicesAnswer>[number],
  networks: ReadonlyMap<string, string>,
): Cluster['services'][number] {
  const { ContainerSpec: container, Networks: joined } = spec.TaskTemplate;
  const labels = Object.entries({ ...container?.Labels, ...spec.Labels }).map(([key, value]) => [key, value ?? '']);
  const known = Object.fromEntries(labels) as Record<string, string>;
  return {
    id,
    name: spec.Name,
    stack: known['com.docker.stack.namespace'] ?? null,
    // With its digest where the registry was asked.
    image: container?.Image?.split('@')[0] ?? null,
    labels: known,
    wanted:
      spec.Mode?.Replicated === null || spec.Mode?.Replicated === undefined
        ? null
        : (spec.Mode.Replicated.Replicas ?? 1),
    ports: (endpoint?.Ports ?? []).flatMap(
      ({ Protocol: protocol, TargetPort: inside, PublishedPort: outside, PublishMode: mode }) =>
        (protocol !== 'tcp' && protocol !== 'udp') || outside === null || outside === undefined
          ? []
          : [{ protocol, inside, outside, how: mode === 'host' ? ('host' as const) : ('ingress' as const) }],
    ),
    networks: (joined ?? []).flatMap(({ Target: target }) => networks.get(target) ?? []),
  };
}
