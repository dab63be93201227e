import type { Protocol } from '../map/site-map.ts';
import { isEveryAddress, isLoopback } from '../networks/address.ts';
import { isRunning, type Inventory, type PublishedPort, type Service } from './inventory.ts';

/** A service and the port of this machine that it has. */
interface Holder {
  service: Service;
  published: PublishedPort;
}

const holders = new WeakMap<readonly Service[], ReadonlyMap<string, Holder>>();

/** The service of this machine that has a port of it now, where loopback reaches it. Roads are many, so it is worked out once for each list of services. */
export function holderOf(
  { services }: Pick<Inventory, 'services'>,
  port: number,
  protocol: Protocol = 'tcp',
): Holder | null {
  const known = holders.get(services) ?? holdersAmong(services);
  holders.set(services, known);
  return known.get(keyOf(port, protocol)) ?? null;
}

function holdersAmong(services: readonly Service[]): Map<string, Holder> {
  const found = new Map<string, Holder>();
  for (const service of services) {
    if (service.machine !== null || !isRunning(service)) continue;
    for (const published of service.published) {
      const { hostAddress, hostPort, protocol } = published;
      const key = keyOf(hostPort, protocol);
      const isLed = isEveryAddress(hostAddress) || isLoopback(hostAddress ?? '');
      if (isLed && !found.has(key)) found.set(key, { service, published });
    }
  }
  return found;
}

function keyOf(port: number | null, protocol: Protocol): string {
  return `${String(port)}/${protocol}`;
}
