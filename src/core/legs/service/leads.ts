import { partName } from '../../plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import { isWelcomePage } from '../../proxies/known-answers.ts';
import { headerOf, isRedirect, type Answer, type Attempt, type Failure } from '../answer.ts';
import { unmetOf } from './expectation.ts';
import { bad, ok, type LegResult } from '../leg.ts';
import { differenceOf } from '../way/redirect.ts';
import { frontCannotReach } from '../passing/front-reach-card.ts';
import { folderEmpty, pauseIgnored, roadRedirectWrong, wrongService } from './service-cards.ts';
import { expectedOf } from '../targets.ts';

/** Judges a part of a road that redirects: the right place, path and query kept. */
export function judgeRoadRedirect({
  road,
  part,
  front,
  expected,
}: {
  road: PlannedRoad;
  part: PlannedPart;
  front: Attempt<Answer>;
  /** Where it must lead; a path alone is one of the road itself. */
  expected: string;
}): LegResult {
  if (!front.ok) return unanswered(front.failure);
  const { status } = front.value;
  const found = headerOf(front.value, 'location');
  const whole = (location: string): string =>
    location.startsWith('/') && !location.startsWith('//') ? `https://${road.authority}${location}` : location;
  const wanted = whole(expected);
  if (isRedirect(status) && found !== null && differenceOf(whole(found), wanted) === null)
    return ok('service', 'to-place', new URL(wanted).hostname);
  const data = { status, found: found ?? 'no place', expected };
  const cause = `redirect-of:${partName(road.name, part.prefix)}`;
  return bad('service', 'elsewhere', { card: roadRedirectWrong, say: 'elsewhere', data, cause });
}

function unanswered({ reason }: Failure): LegResult {
  const data = { reason, log: '' };
  return bad('service', 'breaks-off', { card: frontCannotReach, say: 'broken', data, cause: `front-breaks:${reason}` });
}

interface FolderInput {
  road: PlannedRoad;
  part: PlannedPart;
  front: Attempt<Answer>;
}

/** Judges a road that shows a folder: the front's own files, which nothing else can be asked for. */
export function judgeFolder({ road, part, front }: FolderInput): LegResult {
  const wanted = expectedOf(road, part)?.status ?? null;
  if (front.ok && isWelcomePage(front.value))
    return bad('service', 'welcome-page', { card: wrongService, say: 'welcome', data: {}, cause: 'welcome-page' });
  if (front.ok && (wanted !== null || front.value.status < 300)) {
    const unmet = unmetOf(road, part, front.value);
    return unmet === null ? ok('service', 'folder') : bad('service', 'unexpected', unmet);
  }
  const data = { status: front.ok ? front.value.status : front.failure.reason };
  return bad('service', 'no-page', { card: folderEmpty, say: 'no-page', data, cause: `folder:${road.name}` });
}

/** Judges a road that is paused: 503, and nothing of the service. */
export function judgePaused({ front }: { front: Attempt<Answer> }): LegResult {
  const status = front.ok ? front.value.status : 0;
  if (status === 503) return ok('service', 'paused');
  const data = { status: front.ok ? status : front.failure.reason };
  return bad('service', 'not-paused', { card: pauseIgnored, say: 'answers', data, cause: 'pause-ignored' });
}
