import type { Planned } from '../../../core/legs/gate/access.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import type { PlannedPart, PlannedRoad } from '../../../core/plan/plan.ts';
import { decide } from '../../../core/verdict/decide.ts';
import { requestFrom } from '../../../core/verdict/exposure.ts';
import type { Verdict } from '../../../core/verdict/verdict.ts';
import type { Shared } from '../testing.ts';

interface PlannedInput {
  road: PlannedRoad;
  part: PlannedPart;
  /** Address from which somebody asks, without a password. */
  peer: string;
  method?: string;
}

/** What the map says to somebody at the gate of a road. */
export function plannedFor(
  { prepared }: Pick<Shared, 'prepared'>,
  { road, part, peer, method }: PlannedInput,
): Planned {
  const request = requestFrom({ label: '', peer, person: null, knownIn: [] }, road, targetOf(road, part));
  const verdict = decide(prepared, method === undefined ? request : { ...request, method });
  if (verdict.act === 'ask') return 'asked';
  return verdict.act === 'answer' && (verdict.status === 401 || verdict.status === 403) ? verdict.status : 'passes';
}

/** What the front asks a service about somebody without a login, at the gate of a road; null where nobody is asked. */
export function questionFor(
  { prepared }: Pick<Shared, 'prepared'>,
  { road, part, peer }: Omit<PlannedInput, 'method'>,
): Extract<Verdict, { act: 'ask' }> | null {
  const verdict = decide(
    prepared,
    requestFrom({ label: '', peer, person: null, knownIn: [] }, road, targetOf(road, part)),
  );
  return verdict.act === 'ask' ? verdict : null;
}
