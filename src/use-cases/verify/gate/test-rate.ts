import { allowedWithin, type RateEvidence } from '../../../core/legs/gate/bypasses.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import { mayTryMore, type Shared } from '../testing.ts';

/** More requests than this are no test but a burden. */
const mostRequests = 200;

/**
 * Sends as many requests as the map must not let through, and sees whether the front slows down. Null when that is not tried: a rate that the
 * map does not name is ours to give, and no promise that a front made by hand would break.
 */
export async function testRate(shared: Shared, road: PlannedRoad): Promise<RateEvidence | null> {
  const { front, ours, limiter, input } = shared;
  const question = front.question('https', road.name, '/');
  if (road.lines['rate'] === undefined || road.paused || !mayTryMore(shared)) return null;
  if (!ours.includes(question.address)) return null;
  // What is let through while the requests are on their way comes on top.
  const wanted = allowedWithin(road, 2) + 10;
  if (wanted > mostRequests) return null;
  const method = road.rules.methods?.includes('HEAD') === false ? 'GET' : 'HEAD';
  const began = performance.now();
  const attempts = await Promise.all(
    Array.from({ length: wanted }, () => limiter(() => input.prober.ask({ ...question, method }))),
  );
  const statuses = attempts.flatMap((attempt) => (attempt.ok ? [attempt.value.status] : []));
  return {
    answered: statuses.filter((status) => status < 500).length,
    // Some servers answer 503 where nobody said otherwise.
    wasLimited: statuses.some((status) => status === 429 || status === 503) || statuses.length < attempts.length,
    seconds: (performance.now() - began) / 1000,
  };
}
