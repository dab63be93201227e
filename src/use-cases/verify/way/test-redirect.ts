import { challengeProblem, differenceOf, judgeRedirect } from '../../../core/legs/way/redirect.ts';
import { ok, skipped, withProblems, type LegResult } from '../../../core/legs/leg.ts';
import { probeTarget } from '../../../core/legs/targets.ts';
import { varies } from '../../../core/legs/passing/turns.ts';
import type { LegAt } from '../../../core/legs/unite.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import { decide } from '../../../core/verdict/decide.ts';
import { requestFrom } from '../../../core/verdict/exposure.ts';
import type { Prepared } from '../../../core/verdict/verdict.ts';
import type { FrontView } from '../asking/front-view.ts';
import { inTurn } from '../service/in-turn.ts';
import type { Shared } from '../testing.ts';
import { headerOf, headersOf, isRedirect, type Answer, type Attempt } from '../../../core/legs/answer.ts';

/** As many as browsers follow before they give up (Fetch standard, HTTP-redirect fetch). */
const maxHops = 20;

const plainTarget = '/mile-marker-probe/a?kept=b';

/** Plain HTTP at every address of the front, for all of a road alike; one at which it is closed is judged for HSTS alone. */
export function testPlain(shared: Shared, road: PlannedRoad): Promise<LegAt[]> {
  const { front } = shared;
  const plain = front.open('http').map(({ address }) => address);
  const secure = front.open('https').map(({ address }) => address);
  return Promise.all(
    [...new Set([...plain, ...secure])].map(async (address): Promise<LegAt> => {
      const result = plain.includes(address)
        ? await withChallenge(shared, road, front.at(address))
        : skipped('redirect', 'port-closed');
      return { address, part: '/', result };
    }),
  );
}

/** The redirect, and whether an authority would see the proof of a renewal: what is written here answers that by itself, other fronts are asked. */
async function withChallenge(shared: Shared, road: PlannedRoad, front: FrontView): Promise<LegResult> {
  const { limiter, input } = shared;
  const judged = await limiter(() => testRedirect(shared, road, front));
  const planned = input.plan.certificates.find(({ id }) => id === road.certificate);
  const isProven = planned?.from === 'acme' && planned.challenge === 'http';
  if (!isProven || input.running?.isOurs === true || !input.prober.isLive || judged.outcome === 'skipped')
    return judged;
  const path = '/.well-known/acme-challenge/mile-marker-probe';
  const first = await limiter(() => front.ask('http', road.name, path));
  // Authorities follow redirects, and look at no certificate on the way (RFC 8555 §8.3).
  const last =
    first.ok && isRedirect(first.value.status) ? await limiter(() => front.ask('https', road.name, path)) : first;
  return withProblems(judged, challengeProblem(last));
}

/** Asks over plain HTTP, and compares what comes back with where the verdict says that it must lead. */
async function testRedirect({ prepared }: Shared, road: PlannedRoad, front: FrontView): Promise<LegResult> {
  if (road.rules.plain) return ok('redirect', 'plain-as-planned');
  const authority = front.authority('http', road.name);
  const visitor = { label: '', peer: '127.0.0.1', person: null, knownIn: [] };
  const asked = { ...requestFrom(visitor, road, probeTarget), listener: 'http' as const, sni: null, host: [authority] };
  const verdict = decide(prepared, asked);
  const place = verdict.act === 'answer' ? (verdict.location ?? '') : '';
  const ask: Ask = (scheme, host, to, headers) => front.ask(scheme, host, to, headers);
  const first = await ask('http', road.name, probeTarget);
  const plain = await plainRedirect(road, ask, first);
  const plainPlace = place.replace(probeTarget, plainTarget);
  const leadsPlain = plain === null ? null : differenceOf(plain.location, plainPlace) === null;
  // One that leads everything to a wrong place is told by that, not by what it refuses beside.
  const isByPlain = plain !== null && leadsPlain === false;
  const [attempt, expected, target] = isByPlain
    ? [plain.attempt, plainPlace, plainTarget]
    : [first, place, probeTarget];
  const { ports, edge } = prepared.plan.front;
  const isAtFront = (url: URL, scheme: 'http' | 'https'): boolean =>
    isOfMap(prepared, url, ports[scheme]) && front.open(scheme).length > 0;
  const start = `http://${authority}${target}`;
  const none = { hops: [], isEndless: false };
  const followed = attempt.ok ? await follow({ start, first: attempt.value, isAtFront, ask }) : none;
  const port = front.port('http');
  return judgeRedirect({ name: road.name, port, expected, attempt, ...followed, hasEdge: edge !== null, leadsPlain });
}

function isOfMap({ roadOf }: Prepared, url: URL, outside: number): boolean {
  const port = url.port === '' ? (url.protocol === 'https:' ? 443 : 80) : Number(url.port);
  return roadOf(url.hostname) !== null && port === outside;
}

type Ask = (
  scheme: 'http' | 'https',
  name: string,
  target: string,
  headers?: Record<string, string>,
) => Promise<Attempt<Answer>>;

/** A server may refuse what is escaped and lead everything else: that is less than not redirecting at all. Null when it does not. */
async function plainRedirect(
  road: PlannedRoad,
  ask: Ask,
  first: Attempt<Answer>,
): Promise<{ attempt: Attempt<Answer>; location: string } | null> {
  if (!first.ok || isRedirect(first.value.status)) return null;
  const attempt = await ask('http', road.name, plainTarget);
  const location = attempt.ok && isRedirect(attempt.value.status) ? headerOf(attempt.value, 'location') : null;
  if (location === null) return null;
  // A difference between two requests is one of their paths when it comes again.
  const { a, b } = await inTurn(
    () => ask('http', road.name, probeTarget),
    () => ask('http', road.name, plainTarget),
  );
  return varies(a) || varies(b) ? null : { attempt, location };
}

interface FollowInput {
  start: string;
  first: Answer;
  /** Whether a URL leads to the front itself, so that it may be asked. */
  isAtFront: (url: URL, scheme: 'http' | 'https') => boolean;
  ask: Ask;
}

/** Follows redirects as a browser would, as long as they stay on names of the map, until they end or repeat. */
async function follow({ start, first, isAtFront, ask }: FollowInput): Promise<{ hops: string[]; isEndless: boolean }> {
  let hops = [start];
  const cookies = new Map<string, string>();
  let answer = first;
  for (let count = 0; isRedirect(answer.status); count += 1) {
    if (count === maxHops) return { hops, isEndless: true };
    const next = resolved(headerOf(answer, 'location'), hops.at(-1) ?? start);
    if (next === null) break;
    // Some set a cookie and send the visitor to the same place, to see whether it comes back.
    if (keepCookies(answer, cookies)) hops = [];
    const repeats = hops.includes(next.href);
    hops.push(next.href);
    const scheme = next.protocol === 'https:' ? 'https' : 'http';
    if (repeats || !isAtFront(next, scheme)) break;
    const attempt = await ask(scheme, next.hostname, `${next.pathname}${next.search}`, cookieHeader(cookies));
    if (!attempt.ok) break;
    answer = attempt.value;
  }
  return { hops, isEndless: false };
}

/** Names and values alone (RFC 6265 §5.3): all of them go back to names of one map. Whether one was new. */
function keepCookies(answer: Answer, cookies: Map<string, string>): boolean {
  const before = cookieHeader(cookies)['cookie'];
  for (const line of headersOf(answer, 'set-cookie')) {
    const [, name = '', value = ''] = /^\s*([^=;\s]+)\s*=([^;]*)/.exec(line) ?? [];
    if (name !== '' && cookies.size < 50) cookies.set(name, value.trim());
  }
  return cookieHeader(cookies)['cookie'] !== before;
}

function cookieHeader(cookies: ReadonlyMap<string, string>): Record<string, string> {
  if (cookies.size === 0) return {};
  return { cookie: [...cookies].map(([name, value]) => `${name}=${value}`).join('; ') };
}

function resolved(location: string | null, base: string): URL | null {
  if (location === null) return null;
  try {
    return new URL(location, base);
  } catch {
    return null;
  }
}
