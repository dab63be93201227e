import { alteredByEcho, alterations, deepTarget, echoOf, type Altered } from '../../../core/legs/passing/altered.ts';
import type { Answer } from '../../../core/legs/answer.ts';
import type { DirectEvidence } from '../../../core/legs/service/direct.ts';
import { judgeDeep } from '../../../core/legs/passing/differing.ts';
import { compare, fingerprint, traitsOf, type Traits } from '../../../core/legs/service/fingerprint.ts';
import type { LegResult } from '../../../core/legs/leg.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import { askDirectly } from './ask-directly.ts';
import { credentials } from '../gate/credentials.ts';
import { inTurn } from './in-turn.ts';
import type { PartAt } from '../part-at.ts';
import { judgeSamples } from './test-steady.ts';
import { fromHost, type Shared } from '../testing.ts';

/** Asks for something below the first page, and sees that the service is asked for just that. Null when it is, or when it cannot be told. */
export async function testDeep(shared: Shared, where: PartAt): Promise<LegResult | null> {
  const { road, part, at } = where;
  const { directs, limiter, input } = shared;
  const own = directs.get(part);
  // More questions than a visitor has would use up a rate.
  if (own?.deep === undefined || own.deep === null || road.rules.rate !== null) return null;
  const target = deepTarget(part);
  const asked = await limiter(() => at.front.ask('https', road.name, target, credentials(input, road, at)));
  if (!asked.ok) return null;
  const answer = asked.value;
  // Two pages that say which path they were asked for may be alike in all else.
  const byEcho = alteredByEcho(part, echoOf(answer.body), own.deep.echo);
  if (byEcho === null && (await isAsDirect(shared, where, own, answer))) return null;
  const altered = byEcho ?? (await tryAlterations(shared, where, { target, answer }));
  const judged = judgeDeep({ part, own, target, answer, altered }, road);
  if (judged === null) return null;
  const turns = await inTurn(
    () => limiter(() => at.front.ask('https', road.name, target, credentials(input, road, at))),
    () => limiter(() => askDirectly(shared, where, { target })),
  );
  return (await judgeSamples(shared, where, turns)) ?? judged;
}

async function isAsDirect(shared: Shared, where: PartAt, own: DirectEvidence, answer: Answer): Promise<boolean> {
  const first = own.deep?.traits;
  if (first === undefined || compare(first, traitsOf(answer)) !== 'different') return true;
  // What changes at every visit is found by asking once more.
  const again = await shared.limiter(() => askDirectly(shared, where, { target: deepTarget(where.part) }));
  const print = again.ok ? fingerprint(first, traitsOf(again.value)) : null;
  return print === null || compare(print, traitsOf(answer)) !== 'different';
}

/** What was asked for, and what the front answered, which is not what the service says. */
interface Odd {
  target: string;
  answer: Answer;
}

/** What the front makes of a request, when its answer is the one that the service gives to something else. */
export async function findAltered(shared: Shared, where: PartAt, odd: Odd): Promise<Altered | null> {
  const { road, part, at } = where;
  const own = shared.directs.get(part);
  const found = await tryAlterations(shared, where, odd);
  if (found !== null || own?.deep === undefined || own.deep === null || !shared.input.prober.isLive) return found;
  const login = credentials(shared.input, road, at);
  const deep = await shared.limiter(() => at.front.ask('https', road.name, deepTarget(part), login));
  return deep.ok ? alteredByEcho(part, echoOf(deep.value.body), own.deep.echo) : null;
}

async function tryAlterations(shared: Shared, where: PartAt, { target, answer }: Odd): Promise<Altered | null> {
  const { road, part } = where;
  const upstream = part.leads.kind === 'service' ? part.leads.upstream : null;
  const at = fromHost(part);
  if (upstream === null || at === null) return null;
  const host = directHeaders(road, upstream, shared.input.plan.front.ports)['host'] ?? road.name;
  const seen = traitsOf(answer);
  for (const altered of alterations({ road, part, upstream, at, target, host })) {
    const asked = altered.kind === 'host' ? { target, host: altered.sent } : { target: altered.got };
    const attempt = await shared.limiter(() => askDirectly(shared, where, asked));
    if (attempt.ok && isSame(traitsOf(attempt.value), seen)) return altered;
  }
  return null;
}

function isSame(direct: Traits, seen: Traits): boolean {
  return compare(direct, seen) === 'alike';
}
