import type { Place } from '../findings/finding.ts';
import type { Service } from '../inventory/inventory.ts';
import type { Facts } from './rule.ts';

/** @property where the `to` of the first of its roads */
export interface ServiceOnRoads {
  service: Service;
  roads: string[];
  where: Place;
}

/** Every service that some road leads to, once, with all its roads. Paused roads count: they will be resumed. */
export function servicesOnRoads({ map, resolutions }: Pick<Facts, 'map' | 'resolutions'>): ServiceOnRoads[] {
  const found = new Map<Service, ServiceOnRoads>();
  for (const { name, leadsWhere: where } of map.roads) {
    const service = resolutions.get(name)?.service ?? null;
    if (service === null) continue;
    const before = found.get(service);
    if (before === undefined) found.set(service, { service, roads: [name], where });
    else before.roads.push(name);
  }
  return [...found.values()];
}
