import type { ClusterNode } from '../cluster/cluster.ts';
import type { Place } from '../findings/finding.ts';

/** What one entry of a service's `ports` means. */
export interface PortMapping {
  hostAddress: string | null;
  hostPort: number | null;
  containerPort: number;
  protocol: 'tcp' | 'udp';
}

/**
 * A port of a container made reachable from outside its networks.
 *
 * @property hostAddress address of this machine it is bound to, or null for all of them
 * @property hostPort port on this machine, or null when the engine picks one at each start
 * @property containerPort port inside the container
 * @property where the entry that says so, or null when only the engine knows it
 * @property written that entry as it stands in the file, on one line
 * @property inFlow it stands between brackets, on a line with others
 */
export interface PublishedPort extends PortMapping {
  where: Place | null;
  written: string | null;
  inFlow: boolean;
}

/** @property address IPv4 address on this network; null when declared only, or not running */
export interface NetworkJoin {
  name: string;
  aliases: string[];
  address: string | null;
}

/** What a Compose file and a container both say about how something runs. */
interface RunFacts {
  image: string | null;
  published: PublishedPort[];
  /** TCP ports that the image or the file says it listens on. */
  exposed: number[];
  networks: NetworkJoin[];
  /** `host`, `none`, `service:NAME`, `container:NAME`; null for networks of its own. */
  networkMode: string | null;
  /** Restart policy; null when there is none. */
  restart: string | null;
  labels: Record<string, string>;
  /** Paths of this machine that it sees. */
  mounts: string[];
}

export type ContainerState = 'created' | 'running' | 'paused' | 'restarting' | 'removing' | 'exited' | 'dead';

/** A container as the engine reports it. `exitCode` counts only when it is not running. @property made when, as the engine writes it */
export interface Container extends RunFacts {
  id: string;
  name: string;
  made: string | null;
  state: ContainerState;
  health: 'healthy' | 'unhealthy' | 'starting' | null;
  exitCode: number;
  project: string | null;
  service: string | null;
  /** TCP ports on which its programs listen in its own network; null when that cannot be seen. */
  listening: InsidePort[] | null;
}

/** @property isLoopback nobody outside the container reaches it */
export interface InsidePort {
  port: number;
  isLoopback: boolean;
}

/**
 * A service: declared in a Compose file, known to the engine as containers, or both. What runs wins over what is declared,
 * since that is what must be dialled.
 *
 * @property machine name of the machine of the map that it runs on; null for this machine
 * @property project null for a container in no project
 * @property profiles Compose profiles; a service with any is started only when asked for
 * @property declared what the Compose files say, or null when no file of the map declares it; `where` is its key, and
 *   `portsWhere` its `ports`, for findings
 */
export interface Service extends RunFacts {
  machine: string | null;
  project: string | null;
  name: string;
  containerName: string | null;
  profiles: string[];
  declared: Declared | null;
  containers: Container[];
  /** Keys that stand in place of what earlier Compose files say, not beside it. */
  replaces: string[];
  /** Null for one that no cluster places. */
  cluster: InCluster | null;
}

/**
 * A service that a cluster places on its nodes.
 *
 * @property name as the cluster knows it
 * @property insidePorts that it publishes on the nodes that run it
 * @property wanted how many tasks it should have
 * @property failures what the engine says of each task that failed, of those that it still remembers
 * @property waiting why a task cannot begin; null when none waits
 * @property awayNodes nodes with tasks of it that do not answer the manager
 */
interface InCluster {
  name: string;
  nodes: Array<{ name: string; address: string }>;
  insidePorts: number[];
  wanted: number;
  failures: string[];
  waiting: string | null;
  awayNodes: string[];
}

/** @property files those of its project that the map names, as a person types them where the tool was started */
export interface Declared {
  files: string[];
  where: Place;
  portsWhere: Place;
  restart: string | null;
  published: PublishedPort[];
  networks: NetworkJoin[];
}

/** A container network of the engine. */
export interface EngineNetwork {
  name: string;
  driver: string;
  subnets: string[];
}

/**
 * Another host of the map, as its engine was found.
 *
 * @property address where its published ports are reached
 * @property known its services are known: it answered now, or once before
 * @property since when it answered last, in ISO 8601; null when it did now, or never
 */
export interface MachineFound {
  name: string;
  address: string;
  known: boolean;
  since: string | null;
}

/**
 * What was found to exist.
 *
 * @property services of this machine, and of the machines of the map
 * @property networks container networks of this machine
 * @property asked the engine answered, so what has no container does not run
 * @property failed the engine was asked in vain, so what no file declares may exist all the same
 * @property nodes of the cluster; none without one
 */
export interface Inventory {
  services: Service[];
  networks: EngineNetwork[];
  asked: boolean;
  failed: boolean;
  machines: MachineFound[];
  nodes: ClusterNode[];
}

/** A network interface of this machine with one of its addresses. `network` is in CIDR form. */
export interface InterfaceAddress {
  interface: string;
  address: string;
  network: string;
  /** Bridges and virtual ends that a container engine made. */
  ofContainers: boolean;
}

/**
 * What this machine is like.
 *
 * @property gateway address of the default gateway, if it is known
 * @property resolvers addresses of the DNS resolvers of this machine
 * @property trustedRoots path of the PEM file with the certificate authorities that this machine trusts, or null
 */
export interface HostFacts {
  addresses: InterfaceAddress[];
  gateway: string | null;
  resolvers: string[];
  trustedRoots: string | null;
  /** The command for Compose files here: `docker compose`, or `docker-compose` where only that is installed. */
  compose: string;
  /** Network interfaces that are called nearly as those of container engines, and are none. */
  lookalikes: string[];
}

/**
 * A socket of this machine that waits for visitors.
 *
 * @property address null for all addresses of its family
 * @property owners processes that hold it; empty when the system does not let us see them
 */
export interface ListeningSocket {
  protocol: 'tcp' | 'udp';
  family: 4 | 6;
  address: string | null;
  port: number;
  owners: Array<{ pid: number; name: string }>;
  /** A user made it who has nothing to do with the map: by number. Missing where that is not so, or was not asked. */
  stranger?: number;
}

/** Whether a restart policy starts the container after a reboot, too. */
export function survivesReboot(restart: string | null): boolean {
  return restart !== null && !restart.startsWith('on-failure');
}

/** Whether the service runs now, as far as the engine knows. */
export function isRunning({ containers }: Service): boolean {
  return containers.some(({ state }) => state === 'running');
}

/** `PROJECT/SERVICE`, or the bare name in no project; on another machine with `@MACHINE`, as in the map. */
export function titleOf({ project, name, machine }: Pick<Service, 'project' | 'name' | 'machine'>): string {
  return `${project === null ? '' : `${project}/`}${name}${machine === null ? '' : `@${machine}`}`;
}

/** Those of this machine itself. */
export function servicesHere({ services }: Pick<Inventory, 'services'>): Service[] {
  return services.filter(({ machine }) => machine === null);
}
