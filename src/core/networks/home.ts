import { familyOf, isLinkLocal, isLoopback, isPrivate } from './address.ts';
import type { HostFacts, InterfaceAddress } from '../inventory/inventory.ts';

/** Networks, and single addresses inside them that do not count. CIDR form and plain addresses. */
export interface NetworkSet {
  networks: string[];
  except: string[];
}

/**
 * What the gate `home` means on this machine: loopback and the networks its interfaces are on, without container networks.
 *
 * Public IPv4 networks do not count either: on a rented server the neighbours on the same network are strangers. IPv6 ones
 * count on an interface that has a private IPv4 address beside: at home every device has a public one, and on a rented server
 * those of the same network are strangers, too.
 *
 * The default gateway's own address does not count: routers that send a house's requests for the public address back
 * inside (hairpin) often put their own address in place of the visitor's, and some do so for visitors from outside.
 */
export function homeNetworks(host: HostFacts, written: readonly string[] | null): NetworkSet {
  if (written !== null) return { networks: [...written], except: [] };
  const own = host.addresses.filter(({ ofContainers }) => !ofContainers);
  const isOfHome = ({ address }: InterfaceAddress): boolean =>
    familyOf(address) === 4 && isPrivate(address) && !isLoopback(address);
  const homely = new Set(own.filter(isOfHome).map((one) => one.interface));
  const onLink = own
    .filter(
      (one) =>
        isOfHome(one) ||
        (familyOf(one.address) === 6 &&
          (homely.has(one.interface) || (isPrivate(one.address) && !isLinkLocal(one.address)))),
    )
    .map(({ network }) => network);
  return {
    networks: [...new Set(['127.0.0.0/8', '::1/128', ...onLink.sort()])].filter(notInsideLoopback),
    except: host.gateway === null ? [] : [host.gateway],
  };
}

function notInsideLoopback(network: string): boolean {
  return network === '127.0.0.0/8' || !network.startsWith('127.');
}
