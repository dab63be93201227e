import type { Expect } from '../road-rules/expect.ts';
import { partAt } from '../plan/parts.ts';
import { deepTarget } from './passing/altered.ts';
import type { PlannedPart, PlannedRoad } from '../plan/plan.ts';

/** What the map expects to find, when it lies in this part of the road; else null. */
export function expectedOf(road: PlannedRoad, part: PlannedPart): Expect | null {
  const { expect } = road.rules;
  return expect !== null && partAt(road, expect.path) === part ? expect : null;
}

/** The target by which a part is tested: what the map expects there, else the beginning of the part. */
export function targetOf(road: PlannedRoad, part: PlannedPart): string {
  return expectedOf(road, part)?.path ?? part.prefix;
}

/** A harmless target whose redirect shows whether path and query are kept byte for byte. It is in no normal form, so it lies below no prefix. */
export const probeTarget = '/mile-marker-probe/a%2Fb?kept=%2F';

/** The same below the prefix of a part that redirects, where only targets in normal form lie. */
export function redirectProbe({ prefix }: PlannedPart): string {
  return prefix === '/' ? probeTarget : `${prefix.replace(/\/$/, '')}/mile-marker-probe?kept=%2F`;
}

/** Every target that is asked for at one road as any visitor may. */
export function targetsOf(road: PlannedRoad): string[] {
  const probes = road.parts.flatMap((part) => {
    if (part.leads.kind === 'redirect') return [redirectProbe(part)];
    return part.leads.kind === 'service' && !road.paused ? [deepTarget(part)] : [];
  });
  return [...new Set([...[...road.parts].reverse().map((part) => targetOf(road, part)), probeTarget, ...probes])];
}
