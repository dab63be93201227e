import { servicesHere, type Inventory, type Service } from '../inventory/inventory.ts';

/**
 * Where the proxy stands, which decides how services are reached.
 *
 * `host`: on this machine, or in a container that shares the host's network. `container`: in a network of its own; `networks`
 * is null while no such container is known, and then it is taken to share the networks of the services on the map, as the
 * file of `write --compose` or `write --cluster` makes it. `inCluster`: it is a service of the cluster, which has only the cluster's networks.
 */
export type WhereFront =
  | { kind: 'host'; service: Service | null }
  | { kind: 'container'; name: string; service: Service | null; networks: string[] | null; inCluster: boolean };

/** The stack that a front in a cluster is. */
export const frontStackName = 'mile-marker';

/** What the cluster calls its service. */
export function frontServiceName(container: string): string {
  return `${frontStackName}_${container}`;
}

/**
 * Finds the front's container by its own name, or by the name of its Compose service; of a front in a cluster its service.
 *
 * @param asMade take it as `write --compose` makes it, whatever networks it is on now
 */
export function whereFront(
  { container, nodes }: { container: string | null; nodes: readonly string[] | null },
  inventory: Inventory,
  asMade = false,
): WhereFront {
  if (container === null) return { kind: 'host', service: null };
  if (nodes !== null) {
    const whole = frontServiceName(container);
    const service = inventory.services.find(({ cluster }) => cluster?.name === whole) ?? null;
    // Every installation makes it anew, with the networks that it needs by then.
    return { kind: 'container', name: container, service, networks: null, inCluster: true };
  }
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
  return { kind: 'container', name: container, service, networks, inCluster: false };
}
