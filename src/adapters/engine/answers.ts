import * as z from 'zod';
import type {
  Container,
  ContainerState,
  EngineNetwork,
  NetworkJoin,
  PublishedPort,
} from '../../core/inventory/inventory.ts';
import { ownLabels } from '../../core/inventory/own-labels.ts';
import { visible } from '../../core/outside/words.ts';
import { parseAddress, parseNetwork } from '../../core/networks/address.ts';

/**
 * What of the engine's answers is used (Engine API v1.41, ContainerInspect and NetworkList). Whatever else an engine says,
 * or leaves out, does not matter: other engines speak this API too, each in its own way.
 */

/** Names that others gave: nothing that a terminal would obey gets any further. */
const text = z.string().transform(visible);

const texts = z.record(z.string(), z.string().nullish()).nullish();

const join = z.object({
  IPAddress: z.string().nullish(),
  Aliases: z.array(z.string()).nullish(),
  DNSNames: z.array(z.string()).nullish(),
});

const ports = z.record(
  z.string(),
  z.array(z.object({ HostIp: z.string().nullish(), HostPort: z.string().nullish() })).nullish(),
);

export const containerAnswer = z.object({
  Id: z.string(),
  Name: text,
  Created: z.string().nullish(),
  Image: z.string().nullish(),
  State: z.object({
    Status: z.string(),
    Pid: z.number().nullish(),
    ExitCode: z.number().nullish(),
    Health: z.object({ Status: z.string() }).nullish(),
  }),
  Config: z
    .object({ Image: text.nullish(), Labels: texts, ExposedPorts: z.record(z.string(), z.unknown()).nullish() })
    .nullish(),
  HostConfig: z
    .object({
      NetworkMode: z.string().nullish(),
      RestartPolicy: z.object({ Name: z.string().nullish() }).nullish(),
      PortBindings: ports.nullish(),
    })
    .nullish(),
  Mounts: z.array(z.object({ Source: z.string().nullish() })).nullish(),
  NetworkSettings: z
    .object({
      Networks: z.record(z.string(), join.nullish()).nullish(),
      Ports: ports.nullish(),
    })
    .nullish(),
});

export const listAnswer = z.array(z.object({ Id: z.string() }));

export const networksAnswer = z.array(
  z.object({
    Name: text,
    Driver: z.string().nullish(),
    IPAM: z.object({ Config: z.array(z.object({ Subnet: z.string().nullish() })).nullish() }).nullish(),
  }),
);

/** Labels of images, by their ids. Engines that do not list them have none to tell apart. */
export const imagesAnswer = z.array(z.object({ Id: z.string(), Labels: texts }));
export type ImageLabels = ReadonlyMap<string, Readonly<Record<string, string>>>;

export function labelsOfImages(answer: z.output<typeof imagesAnswer>): ImageLabels {
  return new Map(answer.map(({ Id: id, Labels: labels }) => [id, plain(labels)]));
}

function plain(labels: z.output<typeof texts>): Record<string, string> {
  return Object.fromEntries(Object.entries(labels ?? {}).map(([key, value]) => [key, value ?? '']));
}

const states: readonly string[] = ['created', 'running', 'paused', 'restarting', 'removing', 'exited', 'dead'];

/** @param names of all containers by id: a network mode names the other one by its id */
export function toContainer(
  answer: z.output<typeof containerAnswer>,
  names: ReadonlyMap<string, string>,
  images: ImageLabels,
): Container {
  const { Id: id, State: state, Config: config, HostConfig: host, NetworkSettings: network } = answer;
  const { labels, project, service } = ownLabels(plain(config?.Labels), images.get(answer.Image ?? '') ?? {});
  const restart = host?.RestartPolicy?.Name ?? '';
  return {
    id,
    name: answer.Name.replace(/^\//, ''),
    made: answer.Created ?? null,
    state: states.includes(state.Status) ? (state.Status as ContainerState) : 'dead',
    health: healthOf(state.Health?.Status),
    exitCode: state.ExitCode ?? 0,
    project,
    service,
    image: config?.Image ?? null,
    // One that does not run publishes nothing now; where it will is said all the same.
    published: publishedOf((state.Status === 'running' ? network?.Ports : host?.PortBindings) ?? {}),
    exposed: Object.keys(config?.ExposedPorts ?? {}).flatMap((key) =>
      key.endsWith('/tcp') ? [Number.parseInt(key, 10)] : [],
    ),
    networks: joinsOf(network?.Networks ?? {}, id),
    networkMode: modeOf(host?.NetworkMode ?? '', names),
    restart: restart === '' || restart === 'no' ? null : restart,
    labels,
    listening: null,
    mounts: (answer.Mounts ?? []).flatMap(({ Source: source }) => (source?.startsWith('/') === true ? [source] : [])),
  };
}

function healthOf(status: string | undefined): Container['health'] {
  return status === 'healthy' || status === 'unhealthy' || status === 'starting' ? status : null;
}

/** `container:ID` names another container; every network of its own counts as none said. */
function modeOf(mode: string, names: ReadonlyMap<string, string>): string | null {
  if (mode === 'host' || mode === 'none') return mode;
  if (!mode.startsWith('container:')) return null;
  const id = mode.slice('container:'.length);
  return `container:${names.get(id) ?? id}`;
}

type Ports = z.output<typeof ports>;

/** `{"80/tcp": [{HostIp, HostPort}]}`. An engine that binds all addresses says so once for each family. */
function publishedOf(ports: Ports): PublishedPort[] {
  const all = Object.entries(ports).flatMap(([key, bindings]) => {
    const [digits = '', protocol] = key.split('/');
    if (protocol !== 'tcp' && protocol !== 'udp') return [];
    return (bindings ?? []).map(({ HostIp: ip, HostPort: port }): PublishedPort => {
      const address = ip === '' || ip === null || ip === undefined ? null : parseAddress(ip);
      const hostAddress = address === '0.0.0.0' ? null : address;
      return {
        hostAddress,
        hostPort: Number(port),
        containerPort: Number(digits),
        protocol,
        where: null,
        written: null,
        inFlow: false,
      };
    });
  });
  const sound = all.filter(({ hostPort }) => hostPort !== null && Number.isInteger(hostPort) && hostPort > 0);
  const everywhere = (one: PublishedPort): boolean =>
    sound.some(
      ({ hostAddress, hostPort, containerPort, protocol }) =>
        hostAddress === null &&
        hostPort === one.hostPort &&
        containerPort === one.containerPort &&
        protocol === one.protocol,
    );
  return sound.filter((one) => one.hostAddress !== '::' || !everywhere(one));
}

function joinsOf(networks: Record<string, z.output<typeof join> | null | undefined>, id: string): NetworkJoin[] {
  return Object.entries(networks).flatMap(([name, joined]) => {
    if (name === 'host' || name === 'none') return [];
    const known = [...(joined?.Aliases ?? []), ...(joined?.DNSNames ?? [])];
    // The engine adds the short id as an alias; it is new at every start.
    const aliases = [...new Set(known)].filter((alias) => !id.startsWith(alias));
    return [{ name, aliases, address: parseAddress(joined?.IPAddress ?? '') }];
  });
}

export function toNetwork({
  Name: name,
  Driver: driver,
  IPAM: ipam,
}: z.output<typeof networksAnswer>[number]): EngineNetwork {
  const subnets = (ipam?.Config ?? []).flatMap(({ Subnet: subnet }) => parseNetwork(subnet ?? '') ?? []);
  return { name, driver: driver ?? '', subnets };
}
