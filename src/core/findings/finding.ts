import { byUnits } from '../by-units.ts';

/** How bad a finding is: an error breaks a road or opens a hole, a warning will, a note is worth knowing. */
export type Severity = 'error' | 'warning' | 'note';

/** The stretches of a road that `verify` tests, in the order in which a visitor meets them. */
export const legNames = ['dns', 'port', 'tls', 'redirect', 'access', 'service', 'websocket', 'bypass'] as const;
export type LegName = (typeof legNames)[number];

/** A place in a file the administrator edits. Line and column count from 1; the column counts UTF-16 units. */
export interface Place {
  file: string;
  line: number;
  column: number;
}

/** Plain facts behind a finding, as they go into the JSON output. */
export type Evidence = Record<string, string | number | boolean | null | string[]>;

/**
 * One thing wrong or worth knowing. A finding is plain data: tables, JSON and tests read the same value.
 *
 * @property rule stable kebab-case id of the card that explains it
 * @property leg the leg of `verify` that met it, or null when it was found without driving
 * @property roads full names (lower case, A-label form, no dot at the end) of every road it breaks
 * @property cause key of the one underlying cause, such as `service:127.0.0.1:3000`; equal keys are told once
 */
export interface Finding {
  rule: string;
  severity: Severity;
  leg: LegName | null;
  roads: string[];
  cause: string;
  message: string;
  remedy: string;
  where: Place | null;
  evidence: Evidence;
}

const weight: Record<Severity, number> = { error: 0, warning: 1, note: 2 };

export function worse(a: Severity, b: Severity): Severity {
  return weight[a] <= weight[b] ? a : b;
}

/** Errors first, then by place in the map, then by rule: the order in which a person should read them. */
export function sortFindings(findings: readonly Finding[]): Finding[] {
  return [...findings].sort(
    (a, b) =>
      weight[a.severity] - weight[b.severity] ||
      byUnits(a.where?.file ?? '', b.where?.file ?? '') ||
      (a.where?.line ?? 0) - (b.where?.line ?? 0) ||
      (a.where?.column ?? 0) - (b.where?.column ?? 0) ||
      byUnits(a.rule, b.rule) ||
      byUnits(a.roads[0] ?? '', b.roads[0] ?? ''),
  );
}

/** Whether any finding is at least as bad as `limit`. */
export function reaches(findings: readonly Finding[], limit: Severity): boolean {
  return findings.some((finding) => weight[finding.severity] <= weight[limit]);
}

/** Joins findings that share rule and cause into one that names every road. The first one's words are kept. */
export function tellOnce(findings: readonly Finding[]): Finding[] {
  const byCause = new Map<string, Finding>();
  for (const finding of findings) {
    const key = `${finding.rule} ${finding.cause}`;
    const first = byCause.get(key);
    if (first === undefined) byCause.set(key, { ...finding, roads: [...finding.roads] });
    else first.roads = [...new Set([...first.roads, ...finding.roads])];
  }
  return [...byCause.values()];
}
