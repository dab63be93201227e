import type { LegName } from '../findings/finding.ts';
import { standingOf, type Outcome } from '../legs/leg.ts';

/** How a road is, as a report shows it. `unknown`: no run has seen it. */
export const roadStates = ['wrong', 'warning', 'unsure', 'untested', 'unknown', 'paused', 'well'] as const;
export type RoadState = (typeof roadStates)[number];

export const stateWords: Readonly<Record<RoadState, string>> = {
  wrong: 'wrong',
  warning: 'warning',
  unsure: 'unsure',
  untested: 'not tested',
  unknown: 'not tested yet',
  paused: 'paused',
  well: 'working',
};

/** For terminals, where one shape has one column. */
export const stateSigns: Readonly<Record<RoadState, string>> = {
  wrong: '✗',
  warning: '▲',
  unsure: '?',
  untested: '○',
  unknown: '·',
  paused: '‖',
  well: '●',
};

/** @param legs of the newest run; null when it has none of this road */
export function stateOf(
  legs: ReadonlyArray<{ leg: LegName; outcome: Outcome }> | null,
  { paused }: { paused: boolean },
): RoadState {
  if (legs === null) return paused ? 'paused' : 'unknown';
  const standing = standingOf({ legs });
  if (standing === 'faulty') return legs.some(({ outcome }) => outcome === 'wrong') ? 'wrong' : 'warning';
  return paused ? 'paused' : standing;
}

/** "3 wrong, 9 working", the worst first. */
export function countWords(states: readonly RoadState[]): string {
  return roadStates
    .map((state) => [states.filter((one) => one === state).length, stateWords[state]] as const)
    .filter(([count]) => count > 0)
    .map(([count, word]) => `${String(count)} ${word}`)
    .join(', ');
}
