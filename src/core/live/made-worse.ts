import { tellOnce, type Finding } from '../findings/finding.ts';
import { standingOf, type RoadLegs } from '../legs/leg.ts';

/** What a run of `verify` at the front itself found. */
export interface TestedFront {
  roads: readonly RoadLegs[];
  findings: readonly Finding[];
}

/** Several tests of the same roads as one: each road as where it did worst, what is wrong once. */
export function worstOf(tests: readonly TestedFront[]): TestedFront {
  const [first, ...others] = tests;
  if (first === undefined) return { roads: [], findings: [] };
  const worse = ['well', 'unsure', 'untested', 'faulty'];
  const rank = (road: RoadLegs): number => worse.indexOf(standingOf(road));
  const roads = first.roads.map((road) => {
    const same = [road, ...others.flatMap((test) => test.roads.filter((one) => one.road === road.road))];
    return same.reduce((worst, one) => (rank(one) > rank(worst) ? one : worst));
  });
  return { roads, findings: tellOnce(tests.flatMap(({ findings }) => findings)) };
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
