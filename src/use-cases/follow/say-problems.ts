import type { Followed } from './followed.ts';

/** Says each engine that is away, or back, once. @returns what is wrong now */
export function sayProblems(
  before: ReadonlyMap<string, string>,
  now: Map<string, string>,
  say: (said: Followed) => void,
): Map<string, string> {
  for (const [machine, problem] of now) if (before.get(machine) !== problem) say({ kind: 'away', machine, problem });
  for (const machine of before.keys()) if (!now.has(machine)) say({ kind: 'back', machine });
  return now;
}
