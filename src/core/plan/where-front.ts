import { servicesHere, type Inventory, type Service } from '../inventory/inventory.ts';

/**
 * Where the proxy stands, which decides how services are reached.
 *
 * `host`: on this host, or in a container that shares the host's network. `container`: in a network of its own; `networks`
 * is null while no such container is known, and then it is taken to share the networks of the services on the map, as the
 * Compose file of `write --compose` makes it.
 */
export type WhereFront =
  | { kind: 'host'; service: Service | null }
  | { kind: 'container'; name: string; service: Service | null; networks: string[] | null };

/**
 * Finds the front's container by its own name, or by the name of its Compose service.
 *
 * @param asMade take it as `write --compose` makes it, whatever networks it is on now
 */
export function whereFront(container: string | null, inventory: Inventory, asMade = false): WhereFront {
  if (container === null) return { kind: 'host', service: null };
  const services = servicesHere(inventory);
  const service =
    services.find(
      ({ containerName, containers }) =>
        containerName === container || containers.some(({ name }) => name === container),
    ) ??
    services.find(({ name }) => name === container) ??
    null;
  if (service?.networkMode === 'host' && !asMade) return { kind: 'host', service };
  const networks = service === null || asMade ? null : service.networks.map(({ name }) => name);
  return { kind: 'container', name: container, service, networks };
}
