import { isPracticeFront } from './practice-front.ts';
import type { HostFacts, Inventory } from '../inventory/inventory.ts';
import { planCertificates, type Chosen } from '../certificates/plan-certificates.ts';
import type { SiteMap } from '../map/site-map.ts';
import type { ReadPage } from './page-texts.ts';
import { isLinkLocal } from '../networks/address.ts';
import { planPort } from './plan-port.ts';
import { planRoad } from './plan-road.ts';
import { planVersion, type Plan } from './plan.ts';
import { noIdentity } from '../proxies/whose.ts';
import { servicesOf } from './parts.ts';
import { isOfCluster } from './resolve-service.ts';
import { sharedNetworks } from './shared-networks.ts';
import { whereFront, type WhereFront } from './where-front.ts';

interface PlanInput {
  map: SiteMap;
  inventory: Inventory;
  host: HostFacts;
  /** Of the map: what tells its files from those of others in one server. Default: none yet. */
  identity?: string;
  /** Absolute path of the folder that holds one folder a certificate. */
  certificatesFolder: string;
  /** Absolute path of the folder for pending HTTP challenges. */
  challengesFolder: string;
  /** Absolute path of the folder that the map is in: its paths are relative to it. */
  mapFolder: string;
  /** The files of `pages`, as they were read. */
  pages?: readonly ReadPage[];
  /** Take a front in a container as `write --compose` makes it, whatever networks it is on now. */
  frontAsMade?: boolean;
  /** `follow` keeps up with addresses that change, so those of container networks may be dialled. */
  isFollowed?: boolean;
  /** Which project was meant when a service was found last, by its name. */
  projects?: ReadonlyMap<string, string>;
}

export interface Planned {
  plan: Plan;
  /** What this machine is like, its container networks told apart. */
  host: HostFacts;
  front: WhereFront;
  /** Which certificate each road shows, and why. */
  chosenCertificates: Map<string, Chosen>;
}

/** Fills in every default and resolves every address. Total: what cannot be worked out is left open, and `check` says why. */
export function makePlan({
  map,
  inventory,
  host: found,
  identity = noIdentity,
  certificatesFolder,
  challengesFolder,
  mapFolder,
  pages = [],
  frontAsMade = false,
  isFollowed = false,
  projects = new Map(),
}: PlanInput): Planned {
  const host = withoutContainers(found, inventory);
  const front = whereFront(map.front, inventory, frontAsMade);
  const around = { inventory, front, isFollowed, projects };
  const addresses = frontAddresses(map, host);
  const names = map.front.addresses.flatMap((address) => (address.kind === 'name' ? [address.name] : []));
  const cover = planCertificates(map, certificatesFolder);
  const limits = { connectSeconds: 5, silenceSeconds: 60, liveSeconds: 3600 };
  const { silenceSeconds } = limits;
  const shared = { map, mapFolder, host, around, certificates: cover.certificates, silenceSeconds };
  const plan: Plan = {
    format: 'mile-marker-plan',
    version: planVersion,
    map: map.file,
    identity,
    domains: map.domains,
    front: {
      proxy: map.front.proxy,
      container: map.front.container,
      cluster: null,
      addresses,
      names,
      home: map.front.home,
      ports: map.front.ports,
      listen: { addresses: listenAddresses({ addresses, names, host, front }), ...map.front.listen },
      mark: map.front.mark,
      unknown: map.front.unknown,
      edge: map.front.edge,
      where: map.front.where,
    },
    host: seenByFront(host, front),
    limits,
    certificates: cover.certificates,
    challenges: cover.certificates.some(({ challenge }) => challenge === 'http') ? challengesFolder : null,
    roads: map.roads.map((road) => planRoad({ ...shared, road, chosen: cover.chosen.get(road.name) })),
    pages: Object.fromEntries(pages.flatMap(({ kind, text }) => (text === null ? [] : [[kind, text]]))),
    ports: map.ports.map((port) => planPort(port, { map, mapFolder, host, around, chosen: cover.chosen })),
  };
  if (map.front.nodes !== null)
    plan.front.cluster = { nodes: map.front.nodes, networks: clusterNetworks(plan, inventory) };
  return { plan, host, front, chosenCertificates: cover.chosen };
}

/** Networks of the cluster on which a front in it meets the services. */
function clusterNetworks(plan: Plan, inventory: Inventory): string[] {
  const services = [...servicesOf(plan)].map((service) => ({
    networks: service.networks.filter(({ name }) => service.cluster !== null || isOfCluster(name, inventory)),
  }));
  return sharedNetworks(services);
}

/** The engine knows its networks better than the names of interfaces tell. */
function withoutContainers(host: HostFacts, { networks }: Inventory): HostFacts {
  const bridges = networks.filter(({ driver }) => driver === 'bridge').flatMap(({ subnets }) => subnets);
  const addresses = host.addresses.map((one) => ({
    ...one,
    ofContainers: one.ofContainers || bridges.includes(one.network),
  }));
  return { ...host, addresses };
}

/** The engine's own resolver, which every container of a named network asks, and where Debian-based images keep the roots. */
function seenByFront({ resolvers, trustedRoots }: HostFacts, front: WhereFront): Plan['host'] {
  if (front.kind === 'host') return { resolvers, trustedRoots };
  return { resolvers: ['127.0.0.11'], trustedRoots: '/etc/ssl/certs/ca-certificates.crt' };
}

function frontAddresses(map: SiteMap, host: HostFacts): string[] {
  const found = map.front.addresses.flatMap((address) => {
    if (address.kind === 'literal') return [address.address];
    if (address.kind === 'name') return [];
    return host.addresses
      .filter((one) => one.interface === address.name && !isLinkLocal(one.address))
      .map((one) => one.address);
  });
  return [...new Set(found)];
}

interface ListenInput {
  addresses: string[];
  names: string[];
  host: HostFacts;
  front: WhereFront;
}

/**
 * All addresses of this machine, since the public one is often the router's. A practice front is kept to
 * itself.
 */
function listenAddresses({ addresses, names, host, front }: ListenInput): string[] {
  // Inside its own network a container is dialled on an address that nobody knows beforehand.
  if (front.kind === 'container') return ['0.0.0.0'];
  if (isPracticeFront({ addresses, names })) return [...addresses];
  const hasIpv6 = host.addresses.some(({ address }) => address.includes(':'));
  return hasIpv6 ? ['0.0.0.0', '::'] : ['0.0.0.0'];
}
