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

/** Those, and the container that is the front itself, without which no road leads anywhere. */
export function servicesAndFront(facts: Pick<Facts, 'map' | 'resolutions' | 'front' | 'plan'>): ServiceOnRoads[] {
  const { front, plan } = facts;
  const services = servicesOnRoads(facts);
  if (front.service === null) return services;
  const roads = plan.roads.map(({ name }) => name);
  return [{ service: front.service, roads, where: plan.front.where }, ...services];
}
