import { ask } from '../../adapters/probe/ask.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { traitsOf } from '../../core/legs/fingerprint.ts';
import { likenessTo, type DirectEvidence } from '../../core/legs/direct.ts';
import { allowedWithin, type RateEvidence, type WayRound } from '../../core/legs/ways-round.ts';
import { isLoopback } from '../../core/networks/address.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { Places } from './limiter.ts';
import type { Question, Sight } from './prober.ts';

export interface WaysInput {
  road: PlannedRoad;
  own: DirectEvidence;
  at: At;
  target: string;
  /** Addresses of the front that are proven to be ours. */
  addresses: readonly string[];
  /** Addresses of this machine. */
  here: readonly string[];
  ports: Plan['front']['ports'];
  places: Places;
  limits: Limits;
}

/** Looks for the service itself at the front's own addresses, on the port by which this machine reaches it. */
export async function driveWays(input: WaysInput): Promise<WayRound[]> {
  const { road, own, at, target, addresses, here, ports, places, limits } = input;
  const { scheme } = own.upstream;
  // A published port is an address of this machine; one on a container network or elsewhere is no port of the front.
  if (!isLoopback(at.host) && !here.includes(at.host)) return [];
  const tried = addresses.filter((address) => !isLoopback(address));
  const found = await Promise.all(
    tried.map((address) =>
      places(() =>
        ask({ scheme, address, port: at.port, target, headers: directHeaders(road, own.upstream, ports), ...limits }),
      ).then((attempt): WayRound[] => {
        return isTheSame(own, attempt) ? [{ scheme, address, port: at.port, isHere: here.includes(address) }] : [];
      }),
    ),
  );
  return found.flat();
}

/** From another machine the service cannot be asked directly; then the port by which the map reaches it is all there is to go by. */
function isTheSame(own: DirectEvidence, attempt: Attempt<Answer>): boolean {
  if (!attempt.ok) return false;
  if (own.print === null) return !own.answer.ok && attempt.value.status < 500;
  return likenessTo(own, traitsOf(attempt.value)) === 'alike';
}

/** More requests than this are no test but a burden. */
const mostRequests = 200;

/** Sends as many requests as the map must not let through, and sees whether the front slows down. Null when that would be too many. */
export async function driveRate(
  road: PlannedRoad,
  question: Question,
  sight: Pick<Sight, 'ask'>,
  places: Places,
): Promise<RateEvidence | null> {
  // What is let through while the requests are on their way comes on top.
  const wanted = allowedWithin(road, 2) + 10;
  if (wanted > mostRequests) return null;
  const method = road.rules.methods?.includes('HEAD') === false ? 'GET' : 'HEAD';
  const began = performance.now();
  const attempts = await Promise.all(
    Array.from({ length: wanted }, () => places(() => sight.ask({ ...question, method }))),
  );
  const statuses = attempts.flatMap((attempt) => (attempt.ok ? [attempt.value.status] : []));
  return {
    answered: statuses.filter((status) => status < 500).length,
    // 503 is what nginx answers where nobody said otherwise.
    wasLimited: statuses.some((status) => status === 429 || status === 503) || statuses.length < attempts.length,
    seconds: (performance.now() - began) / 1000,
  };
}
