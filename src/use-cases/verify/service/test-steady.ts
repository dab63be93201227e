import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { DirectEvidence } from '../../../core/legs/service/direct.ts';
import type { LegKind, LegResult } from '../../../core/legs/leg.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { sampleOf, varies, type Sample, type Turns } from '../../../core/legs/passing/turns.ts';
import { judgeVarying } from '../../../core/legs/passing/varying.ts';
import { withPort } from '../../../core/networks/address.ts';
import type { Upstream } from '../../../core/plan/upstream.ts';
import { readLogLine } from '../../../core/proxies/log-line.ts';
import { askDirectly } from './ask-directly.ts';
import { credentials } from '../gate/credentials.ts';
import { inTurn } from './in-turn.ts';
import type { PartAt } from '../part-at.ts';
import type { Shared } from '../testing.ts';

/** What a page says of itself is there or not; nothing is compared for it. */
const ofOnePage: readonly LegKind[] = [
  'shows-inside',
  'other-port',
  'to-http',
  'open-cookie',
  'open-console',
  'unproven',
  'wants-https',
];

/** A service that takes longer is not asked again only to see whether it stays the same. */
const quickMillis = 500;

interface Steady {
  own: DirectEvidence;
  front: Attempt<Answer>;
  judged: LegResult;
}

/**
 * Whether front and service give the same answer again and again, before anything is concluded from a difference between them. Null when they
 * do. What is well is asked once more, beside all that is asked of it otherwise; what is not goes through rounds of front and service by turns.
 */
export async function testSteady(
  shared: Shared,
  where: PartAt,
  { own, front, judged }: Steady,
): Promise<LegResult | null> {
  const { road, part, at } = where;
  const { input, limiter } = shared;
  // More questions than a visitor has would use up a rate.
  const mayRepeat = input.prober.isLive && road.rules.rate === null;
  const target = targetOf(road, part);
  const askFront = (): Promise<Attempt<Answer>> =>
    limiter(() => at.front.ask('https', road.name, target, credentials(input, road, at)));
  const askService = (): Promise<Attempt<Answer>> => limiter(() => askDirectly(shared, where, { target }));
  const seen: Turns = { a: [sampleOf(front)], b: [...own.course] };
  if (!varies(own.course) && ofOnePage.includes(judged.kind)) return null;
  if (!varies(own.course) && judged.outcome === 'ok') {
    if (!mayRepeat || !isQuick(front)) return null;
    seen.a.push(sampleOf(await askFront()));
    if (!varies(seen.a)) return null;
  }
  const isSilent = !front.ok && front.failure.kind === 'silent';
  const turns = mayRepeat ? await inTurn(askFront, askService, { isSilent }) : { a: [], b: [] };
  return judgeSamples(shared, where, { a: [...seen.a, ...turns.a], b: [...seen.b, ...turns.b] });
}

function isQuick(front: Attempt<Answer>): boolean {
  return front.ok && (front.value.millis ?? 0) < quickMillis;
}

/** What is to be said of answers that vary; null when they do not. */
export async function judgeSamples(shared: Shared, where: PartAt, turns: Turns): Promise<LegResult | null> {
  const { road, part } = where;
  const upstream = part.leads.kind === 'service' ? part.leads.upstream : null;
  if (upstream === null || !(varies(turns.a) || varies(turns.b))) return null;
  const log = await shared.input.frontLog.lastError(road);
  const dialled = log === null ? null : readLogLine(log).dialled;
  const copies = await askCopies(shared, where, upstream);
  return judgeVarying({
    road,
    part,
    upstream,
    turns,
    copies,
    log: dialled === null ? '' : ` Its log names ${dialled}.`,
  });
}

/** Where the map knows several copies of a service, each is asked for itself. */
async function askCopies(
  shared: Shared,
  where: PartAt,
  { host, port, others = [] }: Upstream,
): Promise<Array<{ at: string; sample: Sample }>> {
  if (others.length === 0 || shared.input.plan.front.container !== null) return [];
  const target = targetOf(where.road, where.part);
  return Promise.all(
    [{ host, port }, ...others].map(async (to) => {
      const attempt = await shared.limiter(() => askDirectly(shared, where, { target, to }));
      return { at: withPort(to.host, to.port), sample: sampleOf(attempt) };
    }),
  );
}
