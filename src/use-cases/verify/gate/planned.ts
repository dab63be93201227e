import type { Planned } from '../../../core/legs/gate/access.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import type { PlannedPart, PlannedRoad } from '../../../core/plan/plan.ts';
import { decide } from '../../../core/verdict/decide.ts';
import { requestFrom } from '../../../core/verdict/exposure.ts';
import type { ShownDevice } from '../../../core/gates/kind.ts';
import type { Verdict } from '../../../core/verdict/verdict.ts';
import type { Shared } from '../testing.ts';

interface PlannedInput {
  road: PlannedRoad;
  part: PlannedPart;
  /** Address from which somebody asks, without a password. */
  peer: string;
  method?: string;
  /** What his device shows; by default what tests of this name show. */
  device?: ShownDevice;
}

/** What the map says to somebody at the gate of a road. */
export function plannedFor(
  { prepared, input }: Pick<Shared, 'prepared' | 'input'>,
  { road, part, peer, method, device = input.devices.shownFor(road.name) }: PlannedInput,
): Planned {
  const request = requestFrom({ label: '', peer, person: null, knownIn: [], device }, road, targetOf(road, part));
  const verdict = decide(prepared, method === undefined ? request : { ...request, method });
  if (verdict.act === 'ask') return 'asked';
  return verdict.act === 'answer' && (verdict.status === 401 || verdict.status === 403) ? verdict.status : 'passes';
}

/** What the front asks a service about somebody without a login, at the gate of a road; null where nobody is asked. */
export function questionFor(
  { prepared, input }: Pick<Shared, 'prepared' | 'input'>,
  { road, part, peer }: Omit<PlannedInput, 'method' | 'device'>,
): Extract<Verdict, { act: 'ask' }> | null {
  const verdict = decide(
    prepared,
    requestFrom(
      { label: '', peer, person: null, knownIn: [], device: input.devices.shownFor(road.name) },
      road,
      targetOf(road, part),
    ),
  );
  return verdict.act === 'ask' ? verdict : null;
}
