import type { PlannedPath, PlannedRoad } from '../plan/plan.ts';
import { isBelow } from './target.ts';

/** The part of a road that a target lies in, the longest prefix first; null where the road itself leads. */
export function partAt({ rules }: PlannedRoad, target: string): PlannedPath | null {
  return rules.paths.find(({ prefix }) => isBelow(target, prefix)) ?? null;
}
