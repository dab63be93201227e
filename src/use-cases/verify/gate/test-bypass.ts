import { ask } from '../../../adapters/probe/ask.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { Bypass } from '../../../core/legs/gate/bypasses.ts';
import { likenessTo, type DirectEvidence } from '../../../core/legs/service/direct.ts';
import { traitsOf } from '../../../core/legs/service/fingerprint.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { isLoopback } from '../../../core/networks/address.ts';
import type { PlannedPart, PlannedRoad } from '../../../core/plan/plan.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import { fromHost, mayTryMore, type Shared } from '../testing.ts';

/** Looks for the service of a part at the front's own addresses, on the port by which this machine reaches it. */
export async function findBypasses(shared: Shared, road: PlannedRoad, part: PlannedPart): Promise<Bypass[]> {
  const { input, directs, ours, limiter } = shared;
  const { here, limits, plan } = input;
  const own = directs.get(part);
  const at = fromHost(part);
  if (own === undefined || at === null || !mayTryMore(shared)) return [];
  // A published port is an address of this machine; one on a container network or elsewhere is no port of the front.
  if (!isLoopback(at.host) && !here.includes(at.host)) return [];
  const { scheme } = own.upstream;
  const question = {
    scheme,
    port: at.port,
    target: targetOf(road, part),
    headers: directHeaders(road, own.upstream, plan.front.ports),
  };
  const tried = ours.filter((address) => !isLoopback(address));
  const found = await Promise.all(
    tried.map(async (address): Promise<Bypass[]> => {
      const attempt = await limiter(() => ask({ ...question, address, ...limits }));
      const isHere = here.includes(address);
      return isTheSame(own, attempt) ? [{ part: part.prefix, scheme, address, port: at.port, isHere }] : [];
    }),
  );
  return found.flat();
}

/** From another machine the service cannot be asked directly; then the port by which the map reaches it is all there is to go by. */
function isTheSame(own: DirectEvidence, attempt: Attempt<Answer>): boolean {
  if (!attempt.ok) return false;
  if (own.print === null) return !own.answer.ok && attempt.value.status < 500;
  return likenessTo(own, traitsOf(attempt.value)) === 'alike';
}
