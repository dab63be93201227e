import { legNames } from '../findings/finding.ts';
import { changesSince, outcomesOf, type Told, type VerifyEntry } from '../legs/journal.ts';
import { stateOf, type RoadState } from './state.ts';

/** So many runs a strip shows, and times are taken from. */
const shownRuns = 60;

/** A road through the last runs, oldest first. @property at ISO 8601 @property state null where a run did not have the road */
export interface Strip {
  road: string;
  runs: Array<{ at: string; state: RoadState | null }>;
}

/** A road that is paused has nothing to be wrong: its runs show what was seen. */
export function stripsOf(entries: readonly VerifyEntry[], roads: readonly string[]): Strip[] {
  const last = entries.slice(-shownRuns).map(({ at, tested = [] }) => ({
    at,
    legs: new Map(tested.map(({ road, legs }) => [road, legs])),
  }));
  // Roads come out in few ways: each is worked out once.
  const states = new Map<string | undefined, RoadState | null>([[undefined, null]]);
  const stateOnce = (letters: string | undefined): RoadState | null => {
    if (!states.has(letters)) states.set(letters, stateThen(letters ?? ''));
    return states.get(letters) ?? null;
  };
  return roads.map((road) => ({
    road,
    runs: last.map(({ at, legs }) => ({ at, state: stateOnce(legs.get(road)) })),
  }));
}

function stateThen(letters: string): RoadState {
  const outcomes = outcomesOf(letters);
  const legs = legNames.map((leg, index) => ({ leg, outcome: outcomes[index] ?? 'skipped' }));
  return stateOf(legs, { paused: false });
}

/** How long answers took, in milliseconds: the least, the quarters and the most of the last runs, and the newest. */
export interface Times {
  road: string;
  count: number;
  least: number;
  lower: number;
  middle: number;
  upper: number;
  most: number;
  newest: number;
}

/** Of each road that has any; what took less than a millisecond counts as one. */
export function timesOf(entries: readonly VerifyEntry[], roads: readonly string[]): Times[] {
  const taken = new Map<string, number[]>();
  for (const { tested = [] } of entries.slice(-shownRuns))
    for (const { road, millis } of tested)
      if (millis !== null) taken.set(road, [...(taken.get(road) ?? []), Math.max(1, millis)]);
  return roads.flatMap((road): Times[] => {
    const own = taken.get(road) ?? [];
    if (own.length === 0) return [];
    const sorted = [...own].sort((a, b) => a - b);
    const [least, lower, middle, upper, most] = [0, 0.25, 0.5, 0.75, 1].map((share) => quantile(sorted, share));
    const newest = own[own.length - 1];
    return [{ road, count: own.length, ...{ least, lower, middle, upper, most, newest } } as Times];
  });
}

/** Between the two nearest values, in the share of the way between them (Hyndman and Fan 1996, definition 7). */
function quantile(sorted: readonly number[], share: number): number {
  const at = (sorted.length - 1) * share;
  const below = sorted[Math.floor(at)] ?? NaN;
  const above = sorted[Math.ceil(at)] ?? NaN;
  return below + (above - below) * (at - Math.floor(at));
}

/** What came and went at one run, against the run before it. */
export interface Change {
  at: string;
  before: string;
  come: Told[];
  gone: Told[];
}

/** Runs at which something came or went, newest first. */
export function changesOver(entries: readonly VerifyEntry[], most: number): Change[] {
  const changes: Change[] = [];
  for (let index = entries.length - 1; index > 0 && changes.length < most; index -= 1) {
    const [before, now] = [entries[index - 1], entries[index]];
    if (before === undefined || now === undefined) continue;
    const { come, gone } = changesSince(before, now);
    if (come.length + gone.length > 0) changes.push({ at: now.at, before: before.at, come, gone });
  }
  return changes;
}
