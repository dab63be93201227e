import type { Planned } from '../../core/legs/access.ts';
import { targetOf } from '../../core/legs/targets.ts';
import type { PlannedPart, PlannedRoad } from '../../core/plan/plan.ts';
import { decide } from '../../core/verdict/decide.ts';
import { requestFrom } from '../../core/verdict/exposure.ts';
import type { Shared } from './testing.ts';

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
  return verdict.act === 'answer' && (verdict.status === 401 || verdict.status === 403) ? verdict.status : 'passes';
}
