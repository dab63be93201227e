import type { PlannedRoad } from '../../plan/plan.ts';
import type { Context } from '../context.ts';
import type { Act, VerdictRequest } from '../verdict.ts';

/** What a step decides, and the line of the map that made it (0 when no line did). */
export interface Taken {
  act: Act;
  mapLine: number;
}

/** What a step says to a person, and the line of the map that it says it by. */
export interface Said {
  words: string;
  mapLine: number;
}

/**
 * One step of the order.
 *
 * @property take what it does with a request, or null to let the next one speak
 * @property passing why it lets a request go on; without it: nothing is set
 * @property deciding why it decides, before what happens; without it nothing is said
 */
export interface Step {
  name: string;
  take: (context: Context) => Taken | null;
  passing?: (context: Context) => Said;
  deciding?: (context: Context) => string;
}

export const nobodyLine = 0;

/** The line of the first of these keys that was written, else the road's own. */
export function lineOf({ lines, where }: PlannedRoad, ...keys: string[]): number {
  return keys.flatMap((key) => lines[key] ?? [])[0] ?? where.line;
}

export const answer = (status: number, headers: Record<string, string> = {}): Extract<Act, { act: 'answer' }> => ({
  act: 'answer',
  status,
  headers,
});

export const nothingSet: Said = { words: 'nothing is set', mapLine: nobodyLine };

/** Why a step passes by what a road sets; without the key nothing is said. */
export const ofRoad =
  (key: string, words: (road: PlannedRoad, request: VerdictRequest) => string | null, other = key) =>
  ({ road, request }: Context): Said => {
    const said = road === null ? null : words(road, request);
    return road === null || said === null ? nothingSet : { words: said, mapLine: lineOf(road, key, other) };
  };
