import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { directEvidence, type DirectEvidence } from '../../../core/legs/service/direct.ts';
import { judgeFolder, judgePaused, judgeRoadRedirect } from '../../../core/legs/service/leads.ts';
import { asVisitorsFail, skipped, withProblems, type LegResult } from '../../../core/legs/leg.ts';
import { pageProblemOf } from '../../../core/legs/passing/map-kept.ts';
import { judgeNowhere } from '../../../core/legs/service/nowhere.ts';
import { judgeService } from '../../../core/legs/service/service.ts';
import { redirectProbe, targetOf } from '../../../core/legs/targets.ts';
import { locationOf } from '../../../core/verdict/location.ts';
import { askDirectly } from './ask-directly.ts';
import { credentials } from '../gate/credentials.ts';
import { findAltered, testDeep } from './find-altered.ts';
import type { PartAt } from '../part-at.ts';
import { testPassedOn } from './test-passed-on.ts';
import { testSpelling } from '../gate/test-spelling.ts';
import { testSteady } from './test-steady.ts';
import type { Shared } from '../testing.ts';

/** Whether the right service answers through the front, and to just what a visitor asked. */
export async function testService(shared: Shared, where: PartAt, front: Attempt<Answer>): Promise<LegResult> {
  const judged = await whatAnswers(shared, where, front);
  return asVisitorsFail(judged, front.ok ? front.value.status : null);
}

async function whatAnswers(shared: Shared, { road, part, at }: PartAt, front: Attempt<Answer>): Promise<LegResult> {
  const { input, directs, limiter } = shared;
  const { leads } = part;
  if (!front.ok && front.failure.kind === 'unreachable') return skipped('service', 'not-seen');
  if (road.paused)
    return withProblems(judgePaused({ front }), front.ok ? pageProblemOf(input.plan, road, front.value) : []);
  if (leads.kind === 'redirect') {
    const probe = redirectProbe(part);
    const sent = await limiter(() => at.front.ask('https', road.name, probe, credentials(input, road, at)));
    return judgeRoadRedirect({ road, part, front: sent, expected: locationOf(leads, probe) });
  }
  if (leads.kind === 'folder') return judgeFolder({ road, part, front });
  const own = directs.get(part);
  if (own === undefined) return judgeNowhere({ road, part, front });
  const isFailed = !front.ok || front.value.status >= 400;
  const log = isFailed ? await input.frontLog.lastError(road) : null;
  const known = { road, part, front, own, directs: [...directs.values()], log };
  const judged = await confirmed(shared, { road, part, at }, judgeService({ ...known, altered: null }), (again) =>
    judgeService({ ...known, ...again, altered: null }),
  );
  const where = { road, part, at };
  const varying = await testSteady(shared, where, { own, front, judged });
  if (varying !== null) return varying;
  if (!front.ok) return judged;
  if (judged.kind === 'unclear' || judged.kind === 'altered' || judged.kind === 'other-page') {
    const altered = await findAltered(shared, where, { target: targetOf(road, part), answer: front.value });
    return altered === null ? judged : judgeService({ ...known, altered });
  }
  if (judged.outcome !== 'ok') return judged;
  return (
    (await testDeep(shared, where)) ??
    (await testSpelling(shared, where, own, front.value)) ??
    (await testPassedOn(shared, where, own, front.value)) ??
    judged
  );
}

/** Another page may be the newer one of the same service: both are asked once more, one right behind the other, before it is said. */
async function confirmed(
  shared: Shared,
  where: PartAt,
  judged: LegResult,
  judge: (again: { front: Attempt<Answer>; own: DirectEvidence }) => LegResult,
): Promise<LegResult> {
  const { road, part, at } = where;
  const { input, limiter, directs } = shared;
  const own = directs.get(part);
  if (judged.kind !== 'other-page' || own === undefined || road.rules.rate !== null || !input.prober.isLive)
    return judged;
  const target = targetOf(road, part);
  const directly = (): Promise<Attempt<Answer>> => limiter(() => askDirectly(shared, where, { target }));
  const first = await directly();
  const front = await limiter(() => at.front.ask('https', road.name, target, credentials(input, road, at)));
  const second = await directly();
  const { upstream, unmet, unproven } = own;
  const about = { road: own.road, part: own.part, upstream, unmet, unproven };
  return judge({ front, own: { ...directEvidence({ ...about, first, second }), deep: own.deep } });
}
