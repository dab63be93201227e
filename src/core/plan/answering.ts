import { groupedBy } from '../grouped-by.ts';
import { servicesHere, type Inventory, type Service } from '../inventory/inventory.ts';

/** The networks that every engine has from the start: names do not resolve on them. */
export const unnamed: readonly string[] = ['bridge', 'host', 'none'];

interface Answering {
  alias: string;
  service: Service;
  network: string;
}

const known = new WeakMap<Inventory['services'], ReadonlyMap<string, readonly Answering[]>>();

/**
 * Who else of this machine's engine answers to a name by which a front asks for `service`. The engine looks a name up on all networks of the one who asks, and a
 * container answers to its own name as to its aliases.
 *
 * @param networks the front's, or null while they are not known: then any
 */
export function rivalsOf(
  service: Service,
  { name, networks }: { name: string; networks: readonly string[] | null },
  inventory: Pick<Inventory, 'services'>,
): readonly Answering[] {
  return answeringTo(name, inventory).filter(
    (other) => other.service !== service && (networks?.includes(other.network) ?? !unnamed.includes(other.network)),
  );
}

/**
 * The service's own name, unless its container does not answer to it there (it was started by hand), or another service does
 * too: while the one is down, the name would lead to the other. Then the container's, or an alias that it has alone.
 *
 * @param networks `shared`: those that it has in common with the front; `all`: every one of the front's, null while they are not known
 */
export function nameOn(
  service: Service,
  networks: { shared: readonly string[]; all: readonly string[] | null },
  inventory: Pick<Inventory, 'services'>,
): string {
  const aliases = service.networks.flatMap(({ name, aliases }) => (networks.shared.includes(name) ? aliases : []));
  const container =
    service.containers[0]?.name ?? service.containerName ?? `${service.project ?? ''}-${service.name}-1`;
  const own = aliases.includes(service.name) ? [service.name] : [];
  const isAlone = (name: string): boolean =>
    rivalsOf(service, { name, networks: networks.all }, inventory).length === 0;
  return [...own, container, ...aliases].find(isAlone) ?? container;
}

/** Worked out once for an inventory. */
function answeringTo(name: string, { services }: Pick<Inventory, 'services'>): readonly Answering[] {
  let byName = known.get(services);
  if (byName === undefined) {
    const all = servicesHere({ services }).flatMap((service) =>
      service.networks.flatMap(({ name: network, aliases }) =>
        [...new Set([...aliases, ...ownNames(service)])].map((alias) => ({ alias, service, network })),
      ),
    );
    byName = groupedBy(all, ({ alias }) => alias);
    known.set(services, byName);
  }
  return byName.get(name) ?? [];
}

function ownNames({ containerName, containers }: Service): string[] {
  return [...(containerName === null ? [] : [containerName]), ...containers.map(({ name }) => name)];
}
