import { isBelow } from '../verdict/target.ts';
import type { Service } from '../inventory/inventory.ts';
import type { Plan, PlannedPart, PlannedRoad } from './plan.ts';
import type { Upstream } from './upstream.ts';

/** The part that a target lies in: the longest prefix that it is at or below, else where the road itself leads. */
export function partAt({ parts }: Pick<PlannedRoad, 'parts'>, target: string): PlannedPart {
  if (parts.length === 1) return lastOf(parts);
  return parts.find(({ prefix }) => prefix !== '/' && isBelow(target, prefix)) ?? lastOf(parts);
}

/** Where the road itself leads, for all that no prefix takes. */
export function mainPart({ parts }: Pick<PlannedRoad, 'parts'>): PlannedPart {
  return lastOf(parts);
}

function lastOf<Part>(parts: readonly Part[]): Part {
  const last = parts[parts.length - 1];
  if (last === undefined) throw new TypeError('a road has at least the part /');
  return last;
}

/** The same for a road of the map. */
export function mainLeads<Part extends { leads: unknown }>({ parts }: { parts: readonly Part[] }): Part['leads'] {
  return lastOf(parts).leads;
}

/** A road, or a part of it, as people read it: `sightings.saltmarsh.example/api`. For display alone. */
export function partName(road: string, prefix: string): string {
  return prefix === '/' ? road : `${road}${prefix}`;
}

/** Every service that the parts of these roads lead to and that can be dialled, with its part. */
export function dialledParts(roads: readonly PlannedRoad[]): Array<{
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
}> {
  return roads.flatMap((road) =>
    road.parts.flatMap((part) =>
      part.leads.kind === 'service' && part.leads.upstream !== null
        ? [{ road, part, upstream: part.leads.upstream }]
        : [],
    ),
  );
}

/** Everywhere that a service answers, the first address first. */
export function addressesOf({ host, port, others = [] }: Upstream): Array<{ host: string; port: number }> {
  return [{ host, port }, ...others];
}

/** Every service that some part of some road, or a raw port, leads to, whether it can be dialled or not. */
export function servicesOf({ roads, ports }: Pick<Plan, 'roads' | 'ports'>): ReadonlySet<Service> {
  const found = [...roads.flatMap(({ parts }) => parts), ...ports];
  return new Set(found.flatMap(({ resolution }) => resolution?.service ?? []));
}
