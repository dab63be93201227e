import * as z from 'zod';
import type { Finding } from '../findings/finding.ts';

const told = z.object({
  rule: z.string(),
  severity: z.enum(['error', 'warning', 'note']),
  cause: z.string(),
  roads: z.array(z.string()),
  message: z.string(),
});

/** One run of `verify` over the whole map. */
export const verifyEntry = z.object({ at: z.string(), roads: z.number(), findings: z.array(told) });
export type VerifyEntry = z.infer<typeof verifyEntry>;
export type Told = z.infer<typeof told>;

export function entryOf(findings: readonly Finding[], roads: number, at: string): VerifyEntry {
  const short = findings.map(({ rule, severity, cause, roads: names, message }) => ({
    rule,
    severity,
    cause,
    roads: names,
    message,
  }));
  return { at, roads, findings: short };
}

/** What came and what went between two runs. A finding is the same when rule and cause are; notes are no change worth waking anybody for. */
export function changesSince(before: VerifyEntry, now: VerifyEntry): { come: Told[]; gone: Told[] } {
  const missingIn = (findings: readonly Told[], others: readonly Told[]): Told[] =>
    findings.filter(
      (one) => one.severity !== 'note' && !others.some(({ rule, cause }) => rule === one.rule && cause === one.cause),
    );
  return { come: missingIn(now.findings, before.findings), gone: missingIn(before.findings, now.findings) };
}
