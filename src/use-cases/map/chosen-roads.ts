import { Trouble } from '../../adapters/trouble.ts';
import { nearest } from '../../core/findings/nearest.ts';
import { isWildcard } from '../../core/names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';

/**
 * The roads that a command line names, by full or short name; all of them when it names none.
 *
 * @throws Trouble `road-unknown`
 */
export function chosenRoads(plan: Plan, names: readonly string[]): PlannedRoad[] {
  if (names.length === 0) return plan.roads;
  return names.map((name) => {
    const full = name.toLowerCase().replace(/\.$/, '');
    const road = plan.roads.find(
      (one) =>
        [one.name, one.display].includes(full) ||
        (full === 'others' ? isWildcard(one.display) : one.name === `${full}.${plan.domains[0] ?? ''}`),
    );
    if (road !== undefined) return road;
    const near = nearest(
      full,
      plan.roads.map((one) => one.name),
    );
    const remedy = near === null ? 'See the names with: mile-marker roads' : `Did you mean ${near}?`;
    throw new Trouble({ code: 'road-unknown', message: `No road is called ${name}.`, remedy, exitCode: 2 });
  });
}
