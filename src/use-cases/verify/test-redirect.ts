import { differenceOf, judgeRedirect } from '../../core/legs/redirect.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';
import { decide } from '../../core/verdict/decide.ts';
import { requestFrom } from '../../core/verdict/exposure.ts';
import type { Prepared } from '../../core/verdict/verdict.ts';
import { headerOf, headersOf, isRedirect, type Answer, type Attempt } from '../../core/legs/answer.ts';

const maxHops = 8;

const plainTarget = '/mile-marker-probe/a?kept=b';

export interface RedirectInput {
  prepared: Prepared;
  road: PlannedRoad;
  /** A harmless target that shows whether path and query are kept. */
  target: string;
  /** Name and port as they stand behind http://. */
  authority: string;
  port: number;
  /** Whether a URL leads to the front itself, so that it may be asked. */
  isAtFront: (url: URL, scheme: 'http' | 'https') => boolean;
  ask: (
    scheme: 'http' | 'https',
    name: string,
    target: string,
    headers?: Record<string, string>,
  ) => Promise<Attempt<Answer>>;
}

/** Asks over plain HTTP, and holds what comes back against where the verdict says that it must lead. */
export async function driveRedirect(input: RedirectInput): Promise<LegResult> {
  const { prepared, road, target, authority, port, ask } = input;
  const visitor = { label: '', peer: '127.0.0.1', person: null, knownIn: [] };
  const asked = { ...requestFrom(visitor, road, target), listener: 'http' as const, sni: null, host: [authority] };
  const verdict = decide(prepared, asked);
  const expected = verdict.act === 'answer' ? (verdict.location ?? '') : '';
  const attempt = await ask('http', road.name, target);
  const hops = attempt.ok
    ? await follow({ ...input, start: `http://${authority}${target}`, first: attempt.value })
    : [];
  const hasEdge = prepared.plan.front.edge !== null;
  const leadsPlain = await plainLeads(input, attempt, expected);
  return judgeRedirect({ name: road.name, port, expected, attempt, hops, hasEdge, leadsPlain });
}

/** A server may refuse what is escaped and lead everything else: that is less than not redirecting at all. */
async function plainLeads(
  { road, target, ask }: RedirectInput,
  attempt: Attempt<Answer>,
  expected: string,
): Promise<boolean | null> {
  if (!attempt.ok || isRedirect(attempt.value.status)) return null;
  const plain = await ask('http', road.name, plainTarget);
  const found = plain.ok && isRedirect(plain.value.status) ? headerOf(plain.value, 'location') : null;
  return found !== null && differenceOf(found, expected.replace(target, plainTarget)) === null;
}

interface FollowInput extends Pick<RedirectInput, 'isAtFront' | 'ask'> {
  start: string;
  first: Answer;
}

/** Follows redirects as a browser would, as long as they stay on names of the map, until they end or repeat. */
async function follow({ start, first, isAtFront, ask }: FollowInput): Promise<string[]> {
  let hops = [start];
  const cookies = new Map<string, string>();
  let answer = first;
  for (let count = 0; count < maxHops && isRedirect(answer.status); count += 1) {
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
  return hops;
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
