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
 * Who else of this host's engine answers to a name by which a front asks for `service`. The engine looks a name up on all networks of the one who asks, and a
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
