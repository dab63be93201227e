import type { Place } from '../findings/finding.ts';

/**
 * A port of a container made reachable from outside its networks.
 *
 * @property hostAddress address of this host it is bound to, or null for all of them
 * @property hostPort port on this host, or null when the engine picks one at each start
 * @property containerPort port inside the container
 * @property where the entry that says so
 */
export interface PublishedPort extends PortMapping {
  where: Place;
}

/** What one entry of a service's `ports` means. */
export interface PortMapping {
  hostAddress: string | null;
  hostPort: number | null;
  containerPort: number;
  protocol: 'tcp' | 'udp';
}

/** A service that is declared to exist. `where` is its own key, `portsWhere` its `ports`, for findings. */
export interface Service {
  project: string;
  name: string;
  published: PublishedPort[];
  exposed: number[];
  where: Place;
  portsWhere: Place;
}

/** What was found to exist. */
export interface Inventory {
  services: Service[];
}

/** A network interface of this host with one of its addresses. `network` is in CIDR form. */
export interface InterfaceAddress {
  interface: string;
  address: string;
  network: string;
  /** Bridges and virtual ends that a container engine made. */
  ofContainers: boolean;
}

/**
 * What this host is like.
 *
 * @property gateway address of the default gateway, if it is known
 * @property resolvers addresses of the DNS resolvers of this host
 * @property trustedRoots path of the PEM file with the certificate authorities that this host trusts, or null
 */
export interface HostFacts {
  addresses: InterfaceAddress[];
  gateway: string | null;
  resolvers: string[];
  trustedRoots: string | null;
}
