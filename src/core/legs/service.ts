import { withPort } from '../networks/address.ts';
import { partName } from '../plan/parts.ts';
import type { PlannedPart, PlannedRoad, Upstream } from '../plan/plan.ts';
import { isConsoleTitle } from '../inventory/consoles.ts';
import { consoleOpenWords } from '../rules/open-consoles.ts';
import { headerOf, isRedirect, titleOf, type Answer, type Attempt, type Failure } from './answer.ts';
import { likenessTo, type DirectAnswer, type DirectEvidence } from './direct.ts';
import { readLogLine, reasonInLog } from '../proxies/log-line.ts';
import { traitsOf } from './fingerprint.ts';
import { bad, ok, type LegKind, type LegResult, type Problem } from './leg.ts';
import { isFrontsOwnError, isWelcomePage } from '../proxies/pages.ts';
import { pageProblem } from './pages.ts';
import { differenceOf } from './redirect.ts';
import { expectedOf } from './targets.ts';
import {
  expectUnmet,
  folderEmpty,
  frontCannotReach,
  notTold,
  pauseIgnored,
  roadRedirectWrong,
  serviceDown,
  serviceUnclear,
  wrongService,
} from './service-cards.ts';

interface ServiceInput {
  road: PlannedRoad;
  part: PlannedPart;
  /** What the front answered. */
  front: Attempt<Answer>;
  own: DirectEvidence;
  /** The services of all roads. */
  directs: readonly DirectEvidence[];
  /** The last line of the front's error log that is about this road, or null. */
  log: string | null;
}

/** Classifies the front's answer: this service, another road's, a server's own page, the front's own error, or cannot tell. */
export function judgeService(input: ServiceInput): LegResult {
  const { front, own, log } = input;
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const direct = own.answer;
  const said = logWords(log);
  if (!front.ok) {
    const { kind, reason } = front.failure;
    if (!direct.ok && direct.failure.kind !== 'unreachable') return down(own, direct.failure);
    const isOwn = direct.ok && (kind === 'silent' || kind === 'cut');
    if (isOwn && kind === 'silent' && direct.value.hints) return hinting(upstream);
    const data = { reason, upstream, log: said, direct: direct.ok ? direct.value.status : 0 };
    const cause = isOwn ? `service:${upstream}` : `front-breaks:${reason}`;
    return bad('service', 'breaks-off', { card: frontCannotReach, say: isOwn ? kind : 'broken', data, cause });
  }
  const answer = front.value;
  if (isWelcomePage(answer) && !(direct.ok && direct.value.isWelcome)) {
    return bad('service', 'welcome-page', { card: wrongService, say: 'welcome', data: {}, cause: 'welcome-page' });
  }
  if (!direct.ok) return withoutDirect(input, direct.failure, answer);
  // Whoever made the page: the service itself does not fail when it is asked in the same words.
  const fails = answer.status >= 500 && direct.value.status < 500;
  if (fails || (isFrontsOwnError(answer) && (answer.status >= 500 || answer.status !== direct.value.status))) {
    const reason = answer.status >= 500 ? reasonInLog(log, upstream) : null;
    const say = reason?.say ?? (answer.status === 504 ? 'late' : answer.status >= 500 ? 'error' : 'itself');
    const dialled = reason?.dialled ?? '';
    const data = { upstream, direct: direct.value.status, status: answer.status, log: said, dialled };
    if (answer.status >= 502 && direct.value.hints && reason === null) return hinting(upstream);
    const problem = { card: frontCannotReach, say, data, cause: `service:${upstream}` };
    return bad('service', 'front-fails', problem, answer.status);
  }
  return classified(input, direct.value, answer);
}

function logWords(log: string | null): string {
  return log === null ? '' : ` Its log says: ${readLogLine(log).words}.`;
}

function hinting(upstream: string): LegResult {
  const cause = `service:${upstream}`;
  return bad('service', 'early-hints', { card: frontCannotReach, say: 'hints', data: { upstream }, cause });
}

/** The service gives no answer from here. Only an error by the front proves that it is down; otherwise we may just be elsewhere. */
function withoutDirect({ road, part, own }: ServiceInput, failure: Failure, { status, ...answer }: Answer): LegResult {
  if (isFrontsOwnError({ status, ...answer }) && status >= 500 && failure.kind !== 'unreachable')
    return down(own, failure);
  const data = { status, reason: failure.reason };
  const cause = `unclear:${partName(road.name, part.prefix)}`;
  return bad('service', 'not-asked', { card: serviceUnclear, say: 'not-asked', data, cause }, status);
}

function down(own: DirectEvidence, failure: Failure): LegResult {
  const { service, why } = own.upstream;
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const data = { upstream, why, reason: failure.reason, service };
  const kind = failure.kind === 'refused' ? 'down' : failure.kind;
  const say = wayDown(own, failure, service);
  return bad('service', kind, { card: serviceDown, say, data, cause: `service:${upstream}` });
}

function wayDown({ upstream, takesTls }: DirectEvidence, { kind, because }: Failure, service: string | null): string {
  if (takesTls) return 'speaks-https';
  if (upstream.scheme === 'https' && because === 'not-tls') return 'speaks-http';
  return kind === 'refused' && service === null ? 'refused-port' : kind;
}

function classified(input: ServiceInput, direct: DirectAnswer, answer: Answer): LegResult {
  const { road, part, own, directs } = input;
  const name = partName(road.name, part.prefix);
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const seen = traitsOf(answer);
  const likeness = likenessTo(own, seen);
  const data = { status: answer.status, direct: direct.status, upstream, log: '' };
  const cause = `service-of:${name}`;
  if (direct.wantsHttps)
    return bad('service', 'wants-https', {
      card: serviceDown,
      say: 'speaks-https',
      data,
      cause: `service:${upstream}`,
    });
  if (direct.hasBody && answer.status === 200 && direct.status === 200 && answer.body === '')
    return bad('service', 'empty', { card: frontCannotReach, say: 'empty', data, cause: `service:${upstream}` });
  const twin = directs.find(
    (other) => other !== own && !sameUpstream(other.upstream, own.upstream) && likenessTo(other, seen) === 'alike',
  );
  if (likeness === 'alike' && twin === undefined) return fitting(input, answer);
  const other = twin === undefined ? '' : partName(twin.road, twin.part);
  if (likeness === 'alike') {
    const unclear = { card: serviceUnclear, say: 'alike', data: { ...data, other }, cause };
    return bad('service', 'unclear', unclear, answer.status);
  }
  if (twin !== undefined)
    return bad('service', 'wrong-service', { card: wrongService, say: 'other', data: { ...data, other }, cause });
  // What the map says to expect settles it where the pages themselves do not.
  const unmet = unmetOf(road, part, answer);
  if (unmet !== null) return bad('service', 'unexpected', unmet);
  if (typeof expectedOf(road, part)?.text === 'string') return fitting(input, answer);
  const say = likeness === 'nothing' ? 'bare' : 'differs';
  return bad('service', 'unclear', { card: serviceUnclear, say, data, cause }, answer.status);
}

function sameUpstream(a: Upstream, b: Upstream): boolean {
  return a.scheme === b.scheme && a.host === b.host && a.port === b.port;
}

/** The right service; what is left to say is whether it knows how visitors reach it. */
function fitting({ road, part, own }: ServiceInput, answer: Answer): LegResult {
  const unmet = unmetOf(road, part, answer);
  if (unmet !== null) return bad('service', 'unexpected', unmet);
  const untold = untoldOf({ road, part, own }, answer);
  if (untold !== null) return bad('service', 'not-told', untold, answer.status);
  const problem = pageProblem(road, own.upstream, answer);
  if (problem !== null) return bad('service', pageKinds[problem.say] ?? 'shows-inside', problem);
  const title = titleOf(answer.body);
  if (title !== null && isConsoleTitle(title) && isOpenUnmeant(road)) {
    const data = { key: road.display, why: `its page is titled "${title.slice(0, 60)}"` };
    return bad('service', 'open-console', { card: consoleOpenWords, say: 'open', data, cause: `console:${road.name}` });
  }
  return ok('service', 'answers', answer.status);
}

const pageKinds: Record<string, LegKind> = {
  inside: 'shows-inside',
  page: 'shows-inside',
  port: 'other-port',
  plain: 'to-http',
  'plain-page': 'to-http',
  session: 'open-cookie',
};

/** A service that refuses, and does not when it is asked without a proxy's headers, or by its own address. */
function untoldOf(
  { road, part, own }: Pick<ServiceInput, 'road' | 'part' | 'own'>,
  { status }: Answer,
): Problem | null {
  const { plainly, byAddress } = own;
  if (status < 400 || expectedOf(road, part)?.status === status) return null;
  const cause = `untold:${partName(road.name, part.prefix)}`;
  const data = {
    status,
    origin: `https://${road.authority}`,
    proxy: 'the gateway of its container network, or 127.0.0.1 when it runs in none',
  };
  if (plainly !== null && plainly < 400) return { card: notTold, say: 'proxy', data: { ...data, plainly }, cause };
  return byAddress !== null && byAddress < 400
    ? { card: notTold, say: 'name', data: { ...data, byAddress }, cause }
    : null;
}

/** What the map expects at the end of the road, beyond that it is the right service. */
function unmetOf(road: PlannedRoad, part: PlannedPart, { status, body }: Answer): Problem | null {
  const expect = expectedOf(road, part);
  if (expect === null) return null;
  const cause = `expect:${road.name}`;
  const { path } = expect;
  if (expect.status !== null && expect.status !== status)
    return { card: expectUnmet, say: 'status', data: { path, found: status, wanted: expect.status }, cause };
  if (expect.text !== null && !body.includes(expect.text))
    return { card: expectUnmet, say: 'text', data: { path, wanted: expect.text }, cause };
  return null;
}

function isOpenUnmeant({ gate, rules }: PlannedRoad): boolean {
  return gate.parts.length === 0 && !rules.meantSo.includes(consoleOpenWords.id);
}

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

/** Judges a road that shows a folder: the front's own files, which nothing else can be asked for. */
export function judgeFolder({ road, part, front }: Pick<ServiceInput, 'road' | 'part' | 'front'>): LegResult {
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
