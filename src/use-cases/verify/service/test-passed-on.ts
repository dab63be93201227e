import { asksFor } from '../../../core/gates/check.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { DirectEvidence } from '../../../core/legs/service/direct.ts';
import { bad, severityOf, type LegResult, type Problem } from '../../../core/legs/leg.ts';
import { corsProblems, headerProblems, strangeOrigin } from '../../../core/legs/passing/map-kept.ts';
import {
  alteredAnswer,
  claimedAddress,
  claimProblem,
  cookieProblems,
  isUnlike,
  refusalOf,
  repeatsClaim,
  twoProblem,
} from '../../../core/legs/passing/passed-on.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { withPort } from '../../../core/networks/address.ts';
import { askDirectly } from './ask-directly.ts';
import { credentials } from '../gate/credentials.ts';
import { comesAgain } from './in-turn.ts';
import type { PartAt } from '../part-at.ts';
import type { Shared } from '../testing.ts';

type Asked = Promise<Attempt<Answer>>;

/** How both ends are asked. @property front with headers and a method @property service the same, past the front */
interface Ends {
  front: (headers?: Record<string, string>, method?: string) => Asked;
  service: (headers?: Record<string, string>, method?: string) => Asked;
  two: () => Promise<Attempt<Answer> | null>;
}

interface Known {
  shared: Shared;
  where: PartAt;
  own: DirectEvidence;
  usual: Answer;
  ends: Ends;
  name: string;
  upstream: string;
}

/**
 * Asks as browsers and programs do beside a plain GET: over HTTP/2, for compressed pages, for the head alone, for a part of a page, with a login; and
 * for what the map itself promises. Null when all comes out as it must. Where something differs, it is asked again by turns with the plain question.
 */
export async function testPassedOn(
  shared: Shared,
  where: PartAt,
  own: DirectEvidence,
  usual: Answer,
): Promise<LegResult | null> {
  const { road, part, at } = where;
  const { input } = shared;
  if (!input.prober.isLive || road.rules.rate !== null || !at.isSound) return null;
  const { upstream } = own;
  const ends = endsOf(shared, where);
  const known: Known = {
    shared,
    where,
    own,
    usual,
    ends,
    name: road.name,
    upstream: withPort(upstream.host, upstream.port),
  };
  // Of a thousand roads not the pages are kept but what is judged by.
  const packed = await ends.front({ 'accept-encoding': 'gzip', ...claimOf(shared) });
  const problems = await packedProblems(known, packed);
  const fronts = [usual, ...headOf(packed)];
  if (part.prefix === '/') {
    const two = await ends.two();
    problems.push(...(await twoProblems(known, two)));
    fronts.push(...headOf(two));
  }
  problems.push(
    ...(await headProblems(known)),
    ...(await rangeProblems(known)),
    ...(await loginProblems(known)),
    ...cookieProblems(own, fronts, { name: road.name, authority: road.authority, upstream: known.upstream }),
    ...headerProblems(road, usual),
    ...(await corsOf(known)),
  );
  const worst = problems.find((one) => severityOf(one) === 'error') ?? problems[0];
  return worst === undefined ? null : { ...bad('service', 'answer-altered', worst), problems };
}

/** An answer without its page; nothing where none came. */
function headOf(attempt: Attempt<Answer> | null): Answer[] {
  return attempt?.ok === true ? [{ ...attempt.value, body: '' }] : [];
}

function endsOf(shared: Shared, where: PartAt): Ends {
  const { road, part, at } = where;
  const { input, limiter } = shared;
  const target = targetOf(road, part);
  const login = credentials(input, road, at);
  return {
    front: (headers = {}, method = 'GET') =>
      limiter(() => at.front.ask('https', road.name, target, { ...login, ...headers }, method)),
    service: (headers = {}, method = 'GET') => limiter(() => askDirectly(shared, where, { target, headers, method })),
    two: () => limiter(() => input.prober.askTwo(at.front.question('https', road.name, target, login))),
  };
}

/** Behind an edge the front is told by others who the visitor is. */
function claimOf({ input }: Shared): Record<string, string> {
  return input.plan.front.edge === null ? { 'x-forwarded-for': claimedAddress } : {};
}

async function packedProblems(
  { shared, own, usual, ends, name, upstream }: Known,
  packed: Attempt<Answer>,
): Promise<Problem[]> {
  const asked = claimOf(shared);
  const claims = 'x-forwarded-for' in asked;
  if (claims && repeatsClaim(packed)) {
    const seen = await comesAgain(
      async () => repeatsClaim(await ends.front(asked)),
      async () => repeatsClaim(await ends.front()),
    );
    if (seen) return [claimProblem('seen', {}, name)];
  }
  if (!isUnlike(own, usual, packed)) return [];
  const status = packed.ok ? packed.value.status : packed.failure.reason;
  const unlike = async (attempt: Asked): Promise<boolean> => isUnlike(own, usual, await attempt);
  const gzip = { 'accept-encoding': 'gzip' };
  const obeyed =
    claims &&
    (await comesAgain(
      () => unlike(ends.front(asked)),
      () => unlike(ends.front()),
    ));
  if (obeyed) return [claimProblem('obeyed', { status, usual: usual.status }, name)];
  const isPacked = await comesAgain(
    () => unlike(ends.front(gzip)),
    () => unlike(ends.service(gzip)),
  );
  return isPacked ? [alteredAnswer('packed', { status, upstream }, name)] : [];
}

async function twoProblems({ own, usual, ends, name }: Known, two: Attempt<Answer> | null): Promise<Problem[]> {
  if (two === null || !isUnlike(own, usual, two)) return [];
  const differs = await comesAgain(
    async () => {
      const again = await ends.two();
      return again !== null && isUnlike(own, usual, again);
    },
    async () => isUnlike(own, usual, await ends.front()),
  );
  return differs ? [twoProblem(usual, two, name)] : [];
}

async function headProblems({ where, usual, ends, name, upstream }: Known): Promise<Problem[]> {
  if (where.road.rules.methods?.includes('HEAD') === false) return [];
  const isOther = (attempt: Attempt<Answer>): boolean => !attempt.ok || attempt.value.status !== usual.status;
  const head = await ends.front({}, 'HEAD');
  if (!isOther(head)) return [];
  const differs = await comesAgain(
    async () => isOther(await ends.front({}, 'HEAD')),
    async () => isOther(await ends.service({}, 'HEAD')),
  );
  const status = head.ok ? head.value.status : head.failure.reason;
  return differs ? [alteredAnswer('head', { status, direct: usual.status, upstream }, name)] : [];
}

async function rangeProblems({ own, ends, name, upstream }: Known): Promise<Problem[]> {
  if (!own.answer.ok || !own.answer.value.takesRanges) return [];
  const range = { range: 'bytes=0-9' };
  const isWhole = (attempt: Attempt<Answer>): boolean => attempt.ok && attempt.value.status !== 206;
  const asked = await ends.front(range);
  if (!isWhole(asked) || !asked.ok) return [];
  const differs = await comesAgain(
    async () => isWhole(await ends.front(range)),
    async () => isWhole(await ends.service(range)),
  );
  return differs ? [alteredAnswer('range', { status: asked.value.status, upstream }, name)] : [];
}

/** A login that a service answers in words of its own shows whether it gets there. A gate of people keeps passwords for itself. */
async function loginProblems({ where, own, ends, name, upstream }: Known): Promise<Problem[]> {
  const { gate } = where.road;
  if (!own.answer.ok || own.answer.value.status !== 401 || asksFor(gate, 'people')) return [];
  const login = { authorization: 'Bearer mile-marker-probe' };
  const [told, untold] = [refusalOf(await ends.service(login)), refusalOf(await ends.service())];
  if (told === untold || refusalOf(await ends.front(login)) !== untold) return [];
  const lost = await comesAgain(
    async () => refusalOf(await ends.front(login)) === untold,
    async () => refusalOf(await ends.service(login)) === untold,
  );
  return lost ? [alteredAnswer('login', { upstream }, name)] : [];
}

async function corsOf({ where: { road }, ends }: Known): Promise<Problem[]> {
  const { cors } = road.rules;
  if (cors === null) return [];
  const [origin = '*'] = cors.origins;
  const [allowed, strange] = [
    origin === '*' ? null : await ends.front({ origin }),
    await ends.front({ origin: strangeOrigin }),
  ];
  return corsProblems(road, { origin, allowed, strange });
}
