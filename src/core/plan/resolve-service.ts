import {
  servicesHere,
  type Inventory,
  type MachineFound,
  type PublishedPort,
  type Service,
} from '../inventory/inventory.ts';
import { holderOf } from '../inventory/port-holders.ts';
import { byUnits } from '../by-units.ts';
import type { DialledLeads, Protocol } from '../map/site-map.ts';
import { isEveryAddress, inNetworks, isLoopback, parseAddress, withPort } from '../networks/address.ts';
import { nameOn, unnamed } from './answering.ts';
import { findNamed, lender, meantOf } from './named-service.ts';
import type { Upstream } from './upstream.ts';
import type { WhereFront } from './where-front.ts';

/**
 * What became of a road's `to`: where to dial, or the one reason why that cannot be said.
 *
 * `insideOf`: the number is the outside port of this inside one. `machine-unknown`: its engine has never answered. `bridge`: the address belongs to a container network and
 * is handed out anew at each start. `loopback`: loopback is meant, and the front runs in a container. `fromHost`: where this
 * host itself reaches the service at this moment, for `verify`, which runs outside the container networks; null when it cannot.
 */
export type Resolution = {
  service: Service | null;
  /** Projects that have a service of this name, too, and are not meant. */
  twins?: string[];
} & (
  | { kind: 'dialled'; upstream: Upstream; fromHost: At | null; toEveryone: PublishedPort | null }
  | { kind: 'service-unknown'; known: string[] }
  | { kind: 'service-ambiguous'; projects: string[] }
  | { kind: 'port-not-published'; insideOf: number | null }
  | { kind: 'machine-unknown'; machine: string }
  | { kind: 'no-shared-network'; front: string[]; networks: string[] }
  | { kind: 'bridge'; owner: Service | null; network: string }
  | { kind: 'loopback' }
);

export interface At {
  host: string;
  port: number;
}

/** @property isFollowed `follow` runs, which keeps up with addresses of container networks */
export interface Surroundings {
  inventory: Inventory;
  front: WhereFront;
  isFollowed?: boolean;
  /** Which project was meant when it was found last, by the name of a service. */
  projects?: ReadonlyMap<string, string>;
}

/** Works out where the front dials the service of a road or a raw port. */
export function resolveService(leads: DialledLeads, around: Surroundings, protocol: Protocol = 'tcp'): Resolution {
  switch (leads.kind) {
    case 'port':
      return resolvePort({ port: leads.port, protocol }, around);
    case 'url':
      return resolveUrl(leads, around);
    case 'endpoint':
      return resolveUrl({ scheme: 'http', ...leads }, around);
    case 'service':
      return resolveNamed(leads, around, protocol);
  }
}

function resolvePort(
  { port, protocol }: { port: number; protocol: Protocol },
  { front, inventory }: Surroundings,
): Resolution {
  if (front.kind === 'container') return { kind: 'loopback', service: null };
  const held = holderOf(inventory, port, protocol);
  const toEveryone = held !== null && isEveryAddress(held.published.hostAddress) ? held.published : null;
  // What is dialled is what the map says, whoever has it.
  const found = dialled({ host: '127.0.0.1', port, why: 'a port of this machine, as the map says' });
  return { ...found, service: held?.service ?? null, toEveryone };
}

type UrlLeads = Omit<Extract<DialledLeads, { kind: 'url' }>, 'kind'>;

function resolveUrl({ scheme, host, port }: UrlLeads, around: Surroundings): Resolution {
  const { inventory, front } = around;
  if (front.kind === 'container' && isLoopback(host)) return { kind: 'loopback', service: null };
  const network = inventory.networks.find(({ subnets, driver }) => driver !== 'macvlan' && inNetworks(host, subnets));
  if (network !== undefined) {
    const owner = servicesHere(inventory).find(({ containers }) =>
      containers.some(({ networks }) => networks.some(({ address }) => address === host)),
    );
    return { kind: 'bridge', service: owner ?? null, owner: owner ?? null, network: network.name };
  }
  const byName = parseAddress(host) === null;
  const verifyAs = scheme === 'https' ? host : null;
  return dialled({ scheme, host, port, byName, verifyAs, why: 'as the map says' });
}

type ServiceLeads = Extract<DialledLeads, { kind: 'service' }>;

function resolveNamed(
  { project, service, machine, port }: ServiceLeads,
  around: Surroundings,
  protocol: Protocol,
): Resolution {
  const host = around.inventory.machines.find(({ name }) => name === machine);
  if (machine !== null && host?.known !== true) return { kind: 'machine-unknown', service: null, machine };
  const services = around.inventory.services.filter((one) => one.machine === machine);
  const named = findNamed(services, project, service);
  const [first, second] = named;
  if (first === undefined) return { kind: 'service-unknown', service: null, known: services.map(({ name }) => name) };
  if (second === undefined) return resolveFound(first, { port, protocol }, { around, host, services });
  const found = meantOf(named, service, around.projects);
  if (found === null)
    return { kind: 'service-ambiguous', service: null, projects: named.map((one) => one.project ?? '') };
  const twins = named.flatMap((one) => (one === found ? [] : [one.project ?? '']));
  return { ...resolveFound(found, { port, protocol }, { around, host, services }), twins };
}

interface Here {
  around: Surroundings;
  host: MachineFound | undefined;
  services: readonly Service[];
}

function resolveFound(found: Service, { port, protocol }: InsidePort, { around, host, services }: Here): Resolution {
  if (found.cluster !== null) return fromCluster(found, { port, protocol }, around);
  if (host !== undefined) return fromElsewhere(found, { port, protocol }, { host, services });
  return around.front.kind === 'container'
    ? fromContainer(found, { port, protocol }, { ...around, front: around.front })
    : fromHost(found, { port, protocol }, around);
}

/** A port as its program opens it, inside its container. */
interface InsidePort {
  port: number;
  protocol: Protocol;
}

/**
 * In the cluster itself by the name that has an address for each task; elsewhere on the nodes that run one, all of them, or through the mesh. What is published
 * so is reached from everywhere, so that a front in a container has no other way.
 */
function fromCluster(found: Service, { port, protocol }: InsidePort, { inventory, front }: Surroundings): Resolution {
  const whole = found.cluster?.name ?? found.name;
  const networks = found.networks.map(({ name }) => name);
  const shared = front.kind !== 'container' ? [] : networks.filter((name) => front.networks?.includes(name) ?? true);
  if (shared.length > 0) {
    const why = `service ${found.name} of the cluster shares the network ${shared[0] ?? ''} with the front, where each of its tasks has an address`;
    const inside = dialled({ host: `tasks.${whole}`, port, byName: true, why }, found);
    return { ...inside, fromHost: onNodes(found, { port, protocol })[0] ?? null };
  }
  const [first, ...others] = onNodes(found, { port, protocol });
  if (first !== undefined) {
    const count = others.length === 0 ? '' : ` and ${String(others.length)} more`;
    const why = `service ${found.name} of the cluster has a task at ${withPort(first.host, first.port)}${count}`;
    return dialled({ ...first, why, ...othersIn(others) }, found);
  }
  const mesh = found.published.find(
    (one) => one.protocol === protocol && one.containerPort === port && one.hostAddress === null,
  );
  const node =
    front.kind === 'host'
      ? '127.0.0.1'
      : inventory.services.find(({ cluster }) => cluster !== null)?.cluster?.nodes[0]?.address;
  if (mesh !== undefined && mesh.hostPort !== null && node !== undefined) {
    const why = `service ${found.name} of the cluster is published on port ${String(mesh.hostPort)} of every node`;
    return dialled({ host: node, port: mesh.hostPort, why }, found);
  }
  return { kind: 'port-not-published', service: found, insideOf: null };
}

/** Whether a network spans the nodes of the cluster. */
export function isOfCluster(network: string, { networks }: Inventory): boolean {
  return networks.some(({ name, driver }) => name === network && driver === 'overlay');
}

/** Where its tasks are published on the nodes that run them, in an order that stays the same. */
function onNodes({ published }: Service, { port, protocol }: InsidePort): At[] {
  return published
    .flatMap(({ hostAddress, hostPort, containerPort, protocol: own }) =>
      hostAddress === null || hostPort === null || containerPort !== port || own !== protocol
        ? []
        : [{ host: hostAddress, port: hostPort }],
    )
    .sort((a, b) => byUnits(a.host, b.host) || a.port - b.port);
}

/** From another machine only what is published on an address that others reach. */
function fromElsewhere(
  found: Service,
  { port, protocol }: InsidePort,
  { host: { name, address }, services }: { host: MachineFound; services: readonly Service[] },
): Resolution {
  const byName = parseAddress(address) === null;
  const at = { host: address, byName };
  if (found.networkMode === 'host') {
    const why = `service ${found.name} shares the network of ${name}, where it listens on ${String(port)}`;
    return dialled({ ...at, port, why }, found);
  }
  const holder = lender(found, services) ?? found;
  const usable = holder.published.filter(
    (one) => one.protocol === protocol && one.hostPort !== null && !isLoopback(one.hostAddress ?? ''),
  );
  const best = usable.find(({ containerPort }) => containerPort === port);
  if (best === undefined) {
    const insideOf = usable.find(({ hostPort }) => hostPort === port)?.containerPort ?? null;
    return { kind: 'port-not-published', service: holder, insideOf };
  }
  const outside = best.hostPort ?? port;
  const why = `service ${found.name} on ${name} publishes its port ${String(port)} on ${withPort(address, outside)}`;
  return dialled({ ...at, port: outside, why }, holder);
}

function fromHost(found: Service, { port, protocol }: InsidePort, { inventory, isFollowed }: Surroundings): Resolution {
  const services = servicesHere(inventory);
  if (found.networkMode === 'host') {
    const why = `service ${found.name} shares this machine's network, where it listens on ${String(port)}`;
    return dialled({ host: '127.0.0.1', port, why }, found);
  }
  const lending = lender(found, services);
  const holder = lending ?? found;
  const usable = holder.published.filter((one) => one.protocol === protocol && one.hostPort !== null);
  const fitting = usable.filter(({ containerPort }) => containerPort === port).sort((a, b) => rank(a) - rank(b));
  const best = fitting[0];
  if (best === undefined) {
    const [own, ...others] = isFollowed === true ? onBridge(holder, inventory) : [];
    if (own !== undefined) {
      const why = `service ${found.name} has the address ${own.address} on ${own.name} now, which \`follow\` keeps up with`;
      const more = others.map(({ address: host }) => ({ host, port }));
      return dialled({ host: own.address, port, why, ...othersIn(more) }, holder);
    }
    const insideOf = usable.find(({ hostPort }) => hostPort === port)?.containerPort ?? null;
    return { kind: 'port-not-published', service: holder, insideOf };
  }
  const toEveryone = fitting.find(({ hostAddress }) => isEveryAddress(hostAddress)) ?? null;
  const outside = best.hostPort ?? port;
  const at = { host: dialAddress(best.hostAddress), port: outside };
  const through = lending === null ? '' : ` through ${lending.name}`;
  const why = `service ${found.name} publishes its port ${String(port)}${through} on ${withPort(best.hostAddress ?? '0.0.0.0', outside)}`;
  return dialled({ ...at, why, ...othersIn(otherContainers(holder, { port, protocol }, at)) }, holder, toEveryone);
}

/** Where the other containers of a service publish the same port. */
function otherContainers({ containers }: Service, { port, protocol }: InsidePort, first: At): At[] {
  const each = containers.flatMap(({ state, published }) => {
    const [best] = published
      .filter((one) => one.protocol === protocol && one.containerPort === port && one.hostPort !== null)
      .sort((a, b) => rank(a) - rank(b));
    return state !== 'running' || best === undefined
      ? []
      : [{ host: dialAddress(best.hostAddress), port: best.hostPort ?? port }];
  });
  return each.filter(({ host, port: outside }) => host !== first.host || outside !== first.port);
}

/** Left out where there are none: most services run once. */
function othersIn(others: At[]): { others?: At[] } {
  return others.length === 0 ? {} : { others };
}

/** Where its containers that run are on a network whose bridge is on this machine: one address each. */
function onBridge({ containers }: Service, { networks }: Inventory): Array<{ address: string; name: string }> {
  const bridges = networks.flatMap(({ name, driver }) => (driver === 'bridge' ? [name] : []));
  return containers.flatMap(({ state, networks: joins }) => {
    const on = joins.find(({ name, address }) => address !== null && bridges.includes(name));
    return state !== 'running' || on === undefined || on.address === null
      ? []
      : [{ address: on.address, name: on.name }];
  });
}

interface Inside {
  inventory: Inventory;
  front: Extract<WhereFront, { kind: 'container' }>;
}

function fromContainer(found: Service, { port, protocol }: InsidePort, { inventory, front }: Inside): Resolution {
  if (found.networkMode === 'host') return { kind: 'loopback', service: found };
  const holder = lender(found, servicesHere(inventory)) ?? found;
  const networks = holder.networks
    .map(({ name }) => name)
    .filter((name) => !unnamed.includes(name) && (!front.inCluster || isOfCluster(name, inventory)));
  const shared = front.networks === null ? networks : networks.filter((name) => front.networks?.includes(name));
  const own = holder.published.filter((one) => one.containerPort === port && one.protocol === protocol);
  const elsewhere = own.find(
    ({ hostAddress, hostPort }) => hostPort !== null && !isEveryAddress(hostAddress) && !isLoopback(hostAddress ?? ''),
  );
  const toEveryone = own.find((one) => isEveryAddress(one.hostAddress)) ?? null;
  if (shared.length > 0) {
    const host = nameOn(holder, { shared, all: front.networks }, inventory);
    const why = `service ${found.name} shares the network ${shared[0] ?? ''} with ${front.name}, where it is called ${host}`;
    return {
      ...dialled({ host, port, byName: true, why }, holder, toEveryone),
      fromHost: seenFromHost(holder, own, port),
    };
  }
  if (elsewhere !== undefined) {
    const { hostAddress, hostPort } = elsewhere;
    const why = `service ${found.name} publishes its port ${String(port)} on ${withPort(hostAddress ?? '', hostPort ?? port)}`;
    return dialled({ host: hostAddress ?? '', port: hostPort ?? port, why }, holder);
  }
  return { kind: 'no-shared-network', service: holder, front: front.networks ?? [], networks };
}

function seenFromHost({ containers }: Service, published: readonly PublishedPort[], port: number): At | null {
  const open = published.find(({ hostPort }) => hostPort !== null);
  if (open !== undefined) return { host: dialAddress(open.hostAddress), port: open.hostPort ?? port };
  const address = containers
    .flatMap(({ networks }) => networks.map((join) => join.address))
    .find((one) => one !== null);
  return address === undefined || address === null ? null : { host: address, port };
}

type Dialled = Extract<Resolution, { kind: 'dialled' }>;
type Written = Pick<Upstream, 'host' | 'port' | 'why'> & Partial<Upstream>;

function dialled(at: Written, service: Service | null = null, toEveryone: PublishedPort | null = null): Dialled {
  const upstream: Upstream = {
    scheme: 'http',
    byName: false,
    verifyAs: null,
    trust: { kind: 'system' },
    sayHost: null,
    service: service === null ? null : service.name,
    ...at,
  };
  return { kind: 'dialled', upstream, fromHost: { host: at.host, port: at.port }, service, toEveryone };
}

/** Loopback first: it is the one nobody else can reach. */
function rank({ hostAddress }: PublishedPort): number {
  if (hostAddress !== null && isLoopback(hostAddress)) return 0;
  return isEveryAddress(hostAddress) ? 1 : 2;
}

function dialAddress(address: string | null): string {
  if (address === '::') return '::1';
  return address === null || address === '0.0.0.0' ? '127.0.0.1' : address;
}
