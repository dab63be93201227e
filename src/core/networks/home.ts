import { familyOf, isPrivate } from './address.ts';
import type { HostFacts } from '../inventory/inventory.ts';

/** Networks, and single addresses inside them that do not count. CIDR form and plain addresses. */
export interface NetworkSet {
  networks: string[];
  except: string[];
}

/**
 * What the gate `home` means on this host: loopback and the networks its interfaces are on, without container networks.
 *
 * Public IPv4 networks do not count either: on a rented server the neighbours on the same network are strangers. IPv6 ones
 * do, since at home every device has a public one.
 *
 * The default gateway's own address does not count: routers that send a house's requests for the public address back
 * inside (hairpin) often put their own address in place of the visitor's, and some do so for visitors from outside.
 */
export function homeNetworks(host: HostFacts, written: readonly string[] | null): NetworkSet {
  if (written !== null) return { networks: [...written], except: [] };
  const onLink = host.addresses
    .filter(({ ofContainers, address }) => !ofContainers && (familyOf(address) === 6 || isPrivate(address)))
    .map(({ network }) => network);
  return {
    networks: [...new Set(['127.0.0.0/8', '::1/128', ...onLink.sort()])].filter(notInsideLoopback),
    except: host.gateway === null ? [] : [host.gateway],
  };
}

function notInsideLoopback(network: string): boolean {
  return network === '127.0.0.0/8' || !network.startsWith('127.');
}
