import type { HostFacts } from '../inventory/inventory.ts';
import { inNetworks, isLinkLocal, isLoopback, isPrivate } from '../networks/address.ts';
import type { NetworkSet } from '../networks/home.ts';
import type { Plan } from '../plan/plan.ts';

/** One port that must lead from the world to this machine. */
interface WayIn {
  what: string;
  protocol: 'TCP' | 'UDP';
  outside: number;
  inside: number;
}

export interface WayInFacts {
  plan: Plan;
  host: HostFacts;
  home: NetworkSet;
  /** Ports of this machine's own SSH server. */
  sshPorts: readonly number[];
}

/** The ports of the front: as visitors see them, and as this machine does. */
export function waysIn({ front, ports }: Plan): WayIn[] {
  return [
    { what: 'HTTPS', protocol: 'TCP', outside: front.ports.https, inside: front.listen.https },
    {
      what: 'plain HTTP, redirected to HTTPS',
      protocol: 'TCP',
      outside: front.ports.http,
      inside: front.listen.http,
    },
    // What is for home alone needs nothing from the world.
    ...ports
      .filter(({ gate }) => !gate.parts.some(({ name }) => name === 'home'))
      .map(({ port, protocol, to }): WayIn => {
        const what = `raw, to ${to?.service ?? to?.host ?? 'its service'}`;
        return { what, protocol: protocol === 'tcp' ? 'TCP' : 'UDP', outside: port, inside: port };
      }),
  ];
}

/**
 * Addresses of this machine behind a router: as the map says, else those in the network of its default gateway, which is
 * where the router can forward to; without a gateway, all private ones. An interface of a tunnel or of a bridge comes and
 * goes, and is no business of the router's.
 */
export function insideAddresses({ plan, host }: Pick<WayInFacts, 'plan' | 'host'>): string[] {
  if (plan.front.home.length > 0) return plan.front.home;
  const { gateway } = host;
  const own = host.addresses.filter(({ address, ofContainers }) => !ofContainers && !isLoopback(address));
  const near = gateway === null ? [] : own.filter(({ network }) => inNetworks(gateway, [network]));
  const those = near.length > 0 ? near : own.filter(({ address }) => isPrivate(address) && !isLinkLocal(address));
  return those.map(({ address }) => address);
}

/** Whether the public address is this machine's own, as on a rented server, so that no router is in between. */
export function isOnHost({ plan, host }: Pick<WayInFacts, 'plan' | 'host'>): boolean {
  const own = host.addresses.map(({ address }) => address);
  return plan.front.addresses.some((address) => own.includes(address) && !isPrivate(address));
}

/** What to write where the public address is wanted: this machine's own public ones, as on a rented server, else the word for it. */
export function ownAddresses({ addresses }: HostFacts): string {
  const own = addresses.filter(({ address, ofContainers }) => !ofContainers && !isPrivate(address));
  return own.every(({ address }) => address.includes(':'))
    ? 'ADDRESS (behind a router, its status page shows it)'
    : own.map(({ address }) => address).join(' ');
}
