import { groupedBy } from '../grouped-by.ts';
import { servicesHere, type Inventory, type Service } from '../inventory/inventory.ts';

interface Answering {
  alias: string;
  service: Service;
  network: string;
}

const known = new WeakMap<Inventory['services'], ReadonlyMap<string, readonly Answering[]>>();

/** The services of this host's engine that answer to a name, each with the network on which it does. Worked out once for an inventory. */
export function answeringTo(name: string, { services }: Pick<Inventory, 'services'>): readonly Answering[] {
  let byName = known.get(services);
  if (byName === undefined) {
    const all = servicesHere({ services }).flatMap((service) =>
      service.networks.flatMap(({ name: network, aliases }) => aliases.map((alias) => ({ alias, service, network }))),
    );
    byName = groupedBy(all, ({ alias }) => alias);
    known.set(services, byName);
  }
  return byName.get(name) ?? [];
}
