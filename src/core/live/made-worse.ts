import type { Finding } from '../findings/finding.ts';
import { standingOf, type RoadLegs } from '../legs/leg.ts';

/** What a run of `verify` at the front itself found. */
export interface TestedFront {
  roads: readonly RoadLegs[];
  findings: readonly Finding[];
}

/** A road of which nothing was wrong, and now something is. @property because the first error about it */
export interface Worse {
  road: string;
  because: Finding;
}

/**
 * What a change made worse. What was wrong before, and what is new, is no reason to go back.
 *
 * @param before by what was meant then; null when nothing of ours ran
 */
export function madeWorse(before: TestedFront | null, after: TestedFront): Worse[] {
  const wasRight = new Set(before?.roads.filter((road) => standingOf(road) !== 'faulty').map(({ road }) => road));
  return after.roads.flatMap(({ road }) => {
    const because = after.findings.find(({ roads, severity }) => severity === 'error' && roads.includes(road));
    return because === undefined || !wasRight.has(road) ? [] : [{ road, because }];
  });
}
