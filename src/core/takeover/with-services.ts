import type { Inventory } from '../inventory/inventory.ts';
import { nameOnMap } from '../survey/propose.ts';
import { holderOf } from '../inventory/port-holders.ts';
import type { TakenLeads, TakenOver } from './taken-over.ts';

/** The same with services in place of the ports of this machine that they publish: a port that moves is found, and one that is open to all is told. */
export function withServices(taken: TakenOver, inventory: Inventory): TakenOver {
  const led = (leads: TakenLeads): TakenLeads => {
    const port = leads.kind === 'service' ? /^:(\d+)$/.exec(leads.to)?.[1] : undefined;
    const held = port === undefined ? null : holderOf(inventory, Number(port));
    if (held === null || leads.kind !== 'service') return leads;
    return { ...leads, to: `${nameOnMap(held.service, inventory)}:${String(held.published.containerPort)}` };
  };
  const roads = taken.roads.map((road) => ({
    ...road,
    leads: led(road.leads),
    paths: road.paths.map((part) => ({ ...part, leads: led(part.leads) })),
  }));
  return { ...taken, roads };
}
