import { withPort } from '../../networks/address.ts';
import { partName } from '../../plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { frontHoldsBack } from '../passing/front-cards.ts';
import { isConsoleTitle } from '../../inventory/consoles.ts';
import { consoleOpenWords } from '../../rules/services/open-consoles.ts';
import { byUnits } from '../../by-units.ts';
import type { Altered } from '../passing/altered.ts';
import { titleOf, type Answer, type Attempt, type Failure } from '../answer.ts';
import { differing } from '../passing/differing.ts';
import { likenessTo, type DirectAnswer, type DirectEvidence } from './direct.ts';
import { readLogLine, reasonInLog } from '../../proxies/log-line.ts';
import { traitsOf } from './fingerprint.ts';
import { bad, ok, type LegKind, type LegResult, type Problem } from '../leg.ts';
import { isFrontsOwnError, isWelcomePage, wantsHttps } from '../../proxies/known-answers.ts';
import { pageProblem } from '../passing/pages.ts';
import { unmetOf } from './expectation.ts';
import { expectedOf } from '../targets.ts';
import { frontCannotReach } from '../passing/front-reach-card.ts';
import { notTold, serviceDown, serviceFails, serviceUnclear, wrongService } from './service-cards.ts';

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
  /** What the front makes of the request, once that was found out; null when it is not known. */
  altered: Altered | null;
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
    // Some wait for more behind the hints, others pass hints and answer on as one.
    if (direct.ok && direct.value.hints && (kind === 'silent' || kind === 'broken')) return hinting(upstream);
    if (direct.ok && direct.value.isEndless && kind === 'silent') return holding(upstream);
    const isOwn = direct.ok && (kind === 'silent' || kind === 'cut');
    const data = { reason, upstream, log: said, direct: direct.ok ? direct.value.status : 0 };
    const cause = isOwn ? `service:${upstream}` : `front-breaks:${reason}`;
    return bad('service', 'breaks-off', { card: frontCannotReach, say: isOwn ? kind : 'broken', data, cause });
  }
  const answer = front.value;
  if (isWelcomePage(answer) && !(direct.ok && direct.value.isWelcome)) {
    return bad('service', 'welcome-page', { card: wrongService, say: 'welcome', data: {}, cause: 'welcome-page' });
  }
  if (!direct.ok) return withoutDirect(input, direct.failure, answer);
  if (direct.value.wantsHttps) return wantingHttps(own);
  if (wantsHttps(answer)) {
    const data = { upstream: `${own.upstream.scheme}://${upstream}`, status: answer.status, log: '' };
    const problem = { card: frontCannotReach, say: 'unencrypted', data, cause: `service:${upstream}` };
    return bad('service', 'front-fails', problem, answer.status);
  }
  // Whoever made the page: the service itself does not fail when it is asked in the same words.
  const fails = answer.status >= 500 && direct.value.status < 500;
  if (fails && own.unproven !== null) return bad('service', 'unproven', own.unproven, answer.status);
  if (answer.status >= 500 && answer.status === direct.value.status) return fitting(input, answer);
  if (fails || (isFrontsOwnError(answer) && (answer.status >= 500 || answer.status !== direct.value.status))) {
    const reason = answer.status >= 500 ? reasonInLog(log, upstream) : null;
    const refuses = refusals.includes(answer.status) ? 'refuses' : 'itself';
    const say = reason?.say ?? (answer.status === 504 ? 'late' : answer.status >= 500 ? 'error' : refuses);
    const dialled = reason?.dialled ?? '';
    const data = { upstream, direct: direct.value.status, status: answer.status, log: said, dialled };
    if (answer.status >= 502 && direct.value.hints && reason === null) return hinting(upstream);
    const problem = { card: frontCannotReach, say, data, cause: `service:${upstream}` };
    return bad('service', 'front-fails', problem, answer.status);
  }
  return classified(input, direct.value, answer);
}

/** Statuses by which a server refuses on purpose (RFC 9110 §15.5, RFC 7725). */
const refusals = [401, 403, 405, 410, 423, 429, 451];

function logWords(log: string | null): string {
  return log === null ? '' : ` Its log says: ${readLogLine(log).words}.`;
}

/** What comes bit by bit without end never becomes whole for a front that waits for all of it. */
function holding(upstream: string): LegResult {
  const problem = { card: frontHoldsBack, say: 'holds', data: { upstream }, cause: `service:${upstream}` };
  return bad('service', 'held-back', problem);
}

/** One page that several services show is one cause. */
function pageOf({ print }: DirectEvidence): string {
  return `page:${print?.title ?? ''}:${String(print?.status ?? 0)}:${String(print?.words.size ?? 0)}`;
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

/**
 * What is wrong with a service by itself, whatever the front makes of it: that it is down, speaks something else, shows what the front will not
 * believe, or fails. Null when nothing is, or when it cannot be asked from here.
 *
 * @param isHere this is the machine of the front, where its services are dialled
 */
export function serviceItself(own: DirectEvidence, { isHere }: { isHere: boolean }): LegResult | null {
  const { answer, unproven, unmet } = own;
  // On another machine something else may be at the address, or nothing.
  if (!answer.ok) return answer.failure.kind === 'unreachable' || !isHere ? null : down(own, answer.failure);
  if (answer.value.wantsHttps) return wantingHttps(own);
  if (unproven !== null) return bad('service', 'unproven', unproven);
  if (unmet !== null) return bad('service', 'unexpected', unmet);
  return answer.value.status >= 500 ? failing(own, answer.value) : null;
}

function wantingHttps({ upstream: { host, port } }: DirectEvidence): LegResult {
  const upstream = withPort(host, port);
  const data = { upstream };
  return bad('service', 'wants-https', { card: serviceDown, say: 'speaks-https', data, cause: `service:${upstream}` });
}

/** It answers, and says itself that it cannot. */
function failing({ upstream: { host, port } }: DirectEvidence, { status, says }: DirectAnswer): LegResult {
  const upstream = withPort(host, port);
  const quoted = says === '' ? '' : ` and says "${says}"`;
  const data = { upstream, status, quoted };
  return bad(
    'service',
    'itself-fails',
    { card: serviceFails, say: 'fails', data, cause: `service:${upstream}` },
    status,
  );
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
  if (direct.isEndless && answer.status === direct.status && answer.body === '') return holding(upstream);
  if (direct.hasBody && answer.status === 200 && direct.status === 200 && answer.body === '')
    return bad('service', 'empty', { card: frontCannotReach, say: 'empty', data, cause: `service:${upstream}` });
  const twin = directs.find(
    (other) => other !== own && !sameUpstream(other.upstream, own.upstream) && likenessTo(other, seen) === 'alike',
  );
  if (likeness === 'alike' && twin === undefined) return fitting(input, answer);
  const other = twin === undefined ? '' : partName(twin.road, twin.part);
  if (likeness === 'alike') {
    const same = [name, other].sort(byUnits);
    const unclear = { card: serviceUnclear, say: 'alike', data: { ...data, same }, cause: pageOf(own) };
    return bad('service', 'unclear', unclear, answer.status);
  }
  if (twin !== undefined)
    return bad('service', 'wrong-service', { card: wrongService, say: 'other', data: { ...data, other }, cause });
  // What the map says to expect settles it where the pages themselves do not.
  const unmet = unmetOf(road, part, answer);
  if (unmet !== null) return bad('service', 'unexpected', unmet);
  if (typeof expectedOf(road, part)?.text === 'string') return fitting(input, answer);
  return differing(input, direct, answer);
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
  if (own.answer.ok && answer.status >= 500 && expectedOf(road, part)?.status !== answer.status)
    return failing(own, own.answer.value);
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

function isOpenUnmeant({ gate, rules }: PlannedRoad): boolean {
  return gate.parts.length === 0 && !rules.meantSo.includes(consoleOpenWords.id);
}
