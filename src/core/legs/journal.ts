import * as z from 'zod';
import { legNames, type Finding } from '../findings/finding.ts';
import { labelOf } from './label.ts';
import type { LegResult, Outcome, RoadLegs } from './leg.ts';

export const told = z.object({
  rule: z.string(),
  severity: z.enum(['error', 'warning', 'note']),
  cause: z.string(),
  roads: z.array(z.string()),
  message: z.string(),
});

/**
 * How a road was in one run.
 *
 * @property legs a letter for each leg, in the order of `legNames`: see `letters`
 * @property millis how long the answer to its first page took; null when there was none to measure
 */
const testedRoad = z.object({ road: z.string(), legs: z.string(), millis: z.number().nullable() });

/** One run of `verify` over the whole map. @property tested absent in entries of older versions */
export const verifyEntry = z.object({
  at: z.string(),
  roads: z.number(),
  findings: z.array(told),
  tested: z.array(testedRoad).optional(),
});
export type VerifyEntry = z.infer<typeof verifyEntry>;
export type Told = z.infer<typeof told>;

const letters: Readonly<Record<Outcome, string>> = {
  ok: 'k',
  wrong: 'x',
  warning: 'w',
  unsure: 'u',
  untested: 'n',
  skipped: '-',
};

/** The outcomes of legs as `testedRoad` has them. */
function lettersOf(legs: ReadonlyArray<Pick<LegResult, 'leg' | 'outcome'>>): string {
  return legNames.map((name) => letters[legs.find(({ leg }) => leg === name)?.outcome ?? 'skipped']).join('');
}

const outcomesByLetter = new Map(Object.entries(letters).map(([outcome, letter]) => [letter, outcome as Outcome]));

/** The same, read back. What no version knows counts as skipped. */
export function outcomesOf(text: string): Outcome[] {
  return legNames.map((_, index) => outcomesByLetter.get(text[index] ?? '-') ?? 'skipped');
}

export function entryOf(findings: readonly Finding[], roads: readonly RoadLegs[], at: string): VerifyEntry {
  const short = findings.map(({ rule, severity, cause, roads: names, message }) => ({
    rule,
    severity,
    cause,
    roads: names,
    message,
  }));
  const tested = roads.map(({ road, legs, millis = null }) => ({ road, legs: lettersOf(legs), millis }));
  return { at, roads: roads.length, findings: short, tested };
}

const outcomes = z.enum(['ok', 'wrong', 'warning', 'unsure', 'untested', 'skipped']);

/** The newest run over the whole map, with all that can be shown of it. @property vantage in words, from where it was tested */
export const newestRun = z.object({
  at: z.string(),
  vantage: z.string(),
  roads: z.array(
    z.object({
      road: z.string(),
      millis: z.number().nullable(),
      legs: z.array(z.object({ leg: z.enum(legNames), outcome: outcomes, says: z.string() })),
    }),
  ),
  findings: z.array(told.extend({ remedy: z.string() })),
});
export type NewestRun = z.infer<typeof newestRun>;

export function newestOf(
  findings: readonly Finding[],
  roads: readonly RoadLegs[],
  { at, vantage }: Pick<NewestRun, 'at' | 'vantage'>,
): NewestRun {
  return {
    at,
    vantage,
    roads: roads.map(({ road, legs, millis = null }) => ({
      road,
      millis,
      legs: legs.map((result) => ({ leg: result.leg, outcome: result.outcome, says: labelOf(result) })),
    })),
    findings: findings.map(({ rule, severity, cause, roads: names, message, remedy }) => ({
      ...{ rule, severity, cause, roads: names, message, remedy },
    })),
  };
}

/** What came and what went between two runs. A finding is the same when rule and cause are; notes are no change worth waking anybody for. */
export function changesSince(before: VerifyEntry, now: VerifyEntry): { come: Told[]; gone: Told[] } {
  const missingIn = (findings: readonly Told[], others: readonly Told[]): Told[] =>
    findings.filter(
      (one) => one.severity !== 'note' && !others.some(({ rule, cause }) => rule === one.rule && cause === one.cause),
    );
  return { come: missingIn(now.findings, before.findings), gone: missingIn(before.findings, now.findings) };
}
