import type { PlannedLeads, PlannedRoad } from '../../core/plan/plan.ts';
import { stretchName } from '../../core/plan/plan-road.ts';
import { partAt } from '../../core/verdict/part-at.ts';

/** What of a road is looked at, where that leads, and the name under which its address is kept. */
export function lookedAt(road: PlannedRoad): { target: string; leads: PlannedLeads; stretch: string } {
  const target = road.rules.expect?.path ?? '/';
  const part = partAt(road, target);
  return { target, leads: part?.leads ?? road.leads, stretch: stretchName(road.name, part?.prefix ?? '') };
}
