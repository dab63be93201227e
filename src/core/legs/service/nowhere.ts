import { partName } from '../../plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import { whyNot } from '../../plan/why-not.ts';
import { isFrontsOwnError } from '../../proxies/known-answers.ts';
import type { Answer, Attempt } from '../answer.ts';
import { bad, type LegResult } from '../leg.ts';
import { serviceDown, serviceUnclear } from './service-cards.ts';

interface NowhereInput {
  road: PlannedRoad;
  part: PlannedPart;
  /** What the front answered; null when a gate kept this machine out. */
  front: Attempt<Answer> | null;
}

/**
 * Judges a part of a road whose service could not be found here, so that it cannot be asked. An error by the front proves that it does not get there
 * either; else this may be another machine than the front's, where other containers run.
 */
export function judgeNowhere({ road, part, front }: NowhereInput): LegResult {
  const found = part.resolution === null ? null : whyNot(part.resolution);
  const data = { why: found ?? 'unknown', status: front?.ok === true ? front.value.status : 'nothing' };
  const cause = `nowhere:${partName(road.name, part.prefix)}`;
  const fails = front?.ok === true && front.value.status >= 500 && isFrontsOwnError(front.value);
  if (fails) return bad('service', 'nowhere', { card: serviceDown, say: 'nowhere', data, cause }, front.value.status);
  const isElsewhere = part.resolution?.kind === 'service-unknown';
  const say = front === null ? 'hidden' : 'nowhere';
  return bad('service', 'nowhere', {
    card: serviceUnclear,
    say,
    data,
    cause,
    severity: front === null && !isElsewhere ? 'warning' : 'note',
  });
}
