import { withoutStar } from '../names/wildcard.ts';
import type { Plan, PlannedRoad } from '../plan/plan.ts';

/** What a road's file is called, without its ending. A host name may be longer than a file name (255 bytes); then its place in the map tells it apart. */
export function roadFileName({ roads }: Pick<Plan, 'roads'>, { name }: PlannedRoad): string {
  if (name.length <= 240) return withoutStar(name);
  return `${withoutStar(name).slice(0, 200)}-${String(roads.findIndex((road) => road.name === name))}`;
}

/** Above so many roads a server is given them otherwise than a file each. */
export const manyRoads = 200;
