import { covers } from '../certificates/cover.ts';
import { isWildcard, nameUnder } from '../names/wildcard.ts';
import type { Plan, PlannedRoad } from './plan.ts';

/** Finds the road of a name in comparable form: its own, else the one of all other names, else null. */
export function roadFinder(roads: readonly PlannedRoad[]): (name: string) => PlannedRoad | null {
  const exact = new Map(roads.map((road) => [road.name, road]));
  const wild = roads.filter(({ name }) => isWildcard(name));
  return (name) => exact.get(name) ?? wild.find((road) => covers([road.name], name)) ?? null;
}

/** A road as visitors of this name meet it. Only the road of all other names has more than one. */
export function roadNamed(road: PlannedRoad, name: string): PlannedRoad {
  return road.name === name ? road : { ...road, name, authority: road.authority.replace(road.name, name) };
}

/** A road under a name that can be asked for: its own, or one of all the others. */
export function roadToAsk(road: PlannedRoad, { roads }: Pick<Plan, 'roads'>): PlannedRoad {
  if (!isWildcard(road.name)) return road;
  return roadNamed(road, nameUnder(road.name, new Set(roads.map(({ name }) => name))));
}
