import type { Place } from '../findings/finding.ts';
import type { Service } from '../inventory/inventory.ts';
import type { Leads, MapRoad, Protocol, RawLeads } from '../map/site-map.ts';
import { partName } from '../plan/parts.ts';
import type { Resolution } from '../plan/resolve-service.ts';
import type { Facts } from './rule.ts';
import { indexed } from '../indexed.ts';

/**
 * A part of a road: what the map says and what became of it.
 *
 * @property key as a person reads it: the road's key in the map, and the prefix of a part
 */
interface PartOnRoad {
  road: MapRoad;
  key: string;
  prefix: string;
  leads: Leads;
  resolution: Resolution | null;
  where: Place;
}

const parts = new WeakMap<Facts['plan'], PartOnRoad[]>();

/** Every part of every road. Paused roads count: they will be resumed. Most rules ask for them, so they are gathered once. */
export function partsOnRoads(facts: Pick<Facts, 'map' | 'plan'>): readonly PartOnRoad[] {
  const before = parts.get(facts.plan);
  if (before !== undefined) return before;
  const gathered = gatherParts(facts);
  parts.set(facts.plan, gathered);
  return gathered;
}

function gatherParts({ map, plan }: Pick<Facts, 'map' | 'plan'>): PartOnRoad[] {
  const planned = indexed(plan.roads, 'name');
  return map.roads.flatMap((road) =>
    road.parts.map(({ prefix, leads, where }) => {
      const found = planned.get(road.name)?.parts.find((part) => part.prefix === prefix);
      return { road, key: partName(road.key, prefix), prefix, leads, resolution: found?.resolution ?? null, where };
    }),
  );
}

/**
 * Anything of the map that leads to a program: a part of a road, or a raw port.
 *
 * @property name of the road, or of the port as `8883/tcp`
 * @property title the same with the prefix of a part
 * @property key as a person reads it in the map
 */
export interface OnMap {
  name: string;
  title: string;
  key: string;
  leads: Leads | RawLeads;
  protocol: Protocol;
  resolution: Resolution | null;
  where: Place;
}

const leading = new WeakMap<Facts['plan'], OnMap[]>();

/** Every part of every road, and every raw port. */
export function leadsOnMap(facts: Pick<Facts, 'map' | 'plan'>): readonly OnMap[] {
  const before = leading.get(facts.plan);
  if (before !== undefined) return before;
  const planned = indexed(facts.plan.ports, 'name');
  const gathered = [
    ...partsOnRoads(facts).map(({ road, key, prefix, leads, resolution, where }): OnMap => {
      return { name: road.name, title: partName(road.name, prefix), key, leads, protocol: 'tcp', resolution, where };
    }),
    ...facts.map.ports.map(({ name, leads, protocol, where }): OnMap => {
      return {
        name,
        title: name,
        key: name,
        leads,
        protocol,
        resolution: planned.get(name)?.resolution ?? null,
        where,
      };
    }),
  ];
  leading.set(facts.plan, gathered);
  return gathered;
}

/** @property where the `to` of the first of its parts */
interface ServiceOnRoads {
  service: Service;
  roads: string[];
  where: Place;
}

/** Every service that some part of a road, or a raw port, leads to, once, with all of them. */
export function servicesOnRoads(facts: Pick<Facts, 'map' | 'plan'>): ServiceOnRoads[] {
  const found = new Map<Service, ServiceOnRoads>();
  for (const { name, resolution, where } of leadsOnMap(facts)) {
    const service = resolution?.service ?? null;
    if (service === null) continue;
    const before = found.get(service);
    if (before === undefined) found.set(service, { service, roads: [name], where });
    else if (!before.roads.includes(name)) before.roads.push(name);
  }
  return [...found.values()];
}

/** Those, and the container that is the front itself, without which no road leads anywhere. */
export function servicesAndFront(facts: Pick<Facts, 'map' | 'front' | 'plan'>): ServiceOnRoads[] {
  const { front, plan } = facts;
  const services = servicesOnRoads(facts);
  if (front.service === null) return services;
  const roads = plan.roads.map(({ name }) => name);
  return [{ service: front.service, roads, where: plan.front.where }, ...services];
}
