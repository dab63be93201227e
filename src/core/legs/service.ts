import { isPrivate, withPort } from '../networks/address.ts';
import type { PlannedRoad, Upstream } from '../plan/plan.ts';
import { isConsoleTitle } from '../inventory/consoles.ts';
import { consoleOpenWords } from '../rules/open-consoles.ts';
import { headerOf, isRedirect, titleOf, type Answer, type Attempt, type Failure } from './answer.ts';
import { compare, fingerprint, type Likeness } from './fingerprint.ts';
import { bad, ok, type LegResult, type Problem } from './leg.ts';
import { isFrontsOwnError, isWelcomePage } from './own-pages.ts';
import {
  expectUnmet,
  folderEmpty,
  frontCannotReach,
  pauseIgnored,
  roadRedirectWrong,
  serviceDown,
  serviceUnclear,
  showsInside,
  wrongService,
} from './service-cards.ts';

/** A service asked directly, twice, with the headers that the front would send. */
export interface DirectEvidence {
  road: string;
  upstream: Upstream;
  first: Attempt<Answer>;
  second: Attempt<Answer>;
  /** Whether a service that the map gives as plain HTTP, and that does not answer so, takes a TLS handshake. */
  takesTls: boolean;
}

export interface ServiceInput {
  road: PlannedRoad;
  /** What the front answered. */
  front: Attempt<Answer>;
  own: DirectEvidence;
  /** The services of all other roads. */
  others: readonly DirectEvidence[];
}

/** Classifies the front's answer: this service, another road's, a server's own page, the front's own error, or cannot tell. */
export function judgeService(input: ServiceInput): LegResult {
  const { front, own } = input;
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const cause = `service:${upstream}`;
  if (!front.ok) {
    const data = { reason: front.failure.reason };
    return bad('service', 'breaks off', {
      card: frontCannotReach,
      say: 'broken',
      data,
      cause: `front-breaks:${front.failure.reason}`,
    });
  }
  const answer = front.value;
  const direct = own.first.ok ? own.first.value : null;
  const fronts = isFrontsOwnError(answer);
  if (isWelcomePage(answer) && (direct === null || !isWelcomePage(direct))) {
    return bad('service', 'welcome page', { card: wrongService, say: 'welcome', data: {}, cause: 'welcome-page' });
  }
  if (!own.first.ok) return withoutDirect(input, own.first.failure, fronts);
  if (fronts && answer.status >= 500) {
    const data = { upstream, direct: own.first.value.status, status: answer.status };
    return bad('service', String(answer.status), { card: frontCannotReach, say: 'error', data, cause });
  }
  return classified(input, own.first.value, answer);
}

/** The service gives no answer from here. Only an error by the front proves that it is down; otherwise we may just be elsewhere. */
function withoutDirect({ road, front, own }: ServiceInput, failure: Failure, fronts: boolean): LegResult {
  const status = front.ok ? front.value.status : 0;
  const upstream = withPort(own.upstream.host, own.upstream.port);
  if (fronts && status >= 500 && failure.kind !== 'unreachable') {
    const { service } = own.upstream;
    const say = wayDown(own, failure, service);
    const data = { upstream, why: own.upstream.why, reason: failure.reason, service };
    return bad('service', failure.kind === 'refused' ? 'down' : failure.kind, {
      card: serviceDown,
      say,
      data,
      cause: `service:${upstream}`,
    });
  }
  const data = { status, reason: failure.reason };
  return bad('service', String(status), {
    card: serviceUnclear,
    say: 'not-asked',
    data,
    cause: `unclear:${road.name}`,
  });
}

function wayDown({ upstream, takesTls }: DirectEvidence, { kind, reason }: Failure, service: string | null): string {
  if (takesTls) return 'speaks-https';
  // OpenSSL's words for plain text where a handshake should be.
  if (upstream.scheme === 'https' && /wrong version number|packet length too long/i.test(reason)) return 'speaks-http';
  return kind === 'refused' && service === null ? 'refused-port' : kind;
}

function classified(input: ServiceInput, direct: Answer, answer: Answer): LegResult {
  const { road, own, others } = input;
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const likeness = likenessTo(own, answer);
  const data = { status: answer.status, direct: direct.status, upstream };
  const twin = others.find(
    (other) => !sameUpstream(other.upstream, own.upstream) && likenessTo(other, answer) === 'alike',
  );
  const cause = `service-of:${road.name}`;
  if (speaksHttps(direct))
    return bad('service', 'wants https', {
      card: serviceDown,
      say: 'speaks-https',
      data,
      cause: `service:${upstream}`,
    });
  if (likeness === 'alike' && twin === undefined) return fitting(road, own.upstream, answer);
  if (likeness === 'alike')
    return bad('service', `${String(answer.status)}?`, {
      card: serviceUnclear,
      say: 'alike',
      data: { ...data, other: twin?.road ?? '' },
      cause,
    });
  if (twin !== undefined)
    return bad('service', 'wrong one', {
      card: wrongService,
      say: 'other',
      data: { ...data, other: twin.road },
      cause,
    });
  const say = likeness === 'nothing' ? 'bare' : 'differs';
  return bad('service', `${String(answer.status)}?`, { card: serviceUnclear, say, data, cause });
}

/** The road among these whose service an answer comes from, if it can be told. */
export function whoseAnswer(answer: Answer, directs: readonly DirectEvidence[]): string | null {
  return directs.find((one) => likenessTo(one, answer) === 'alike')?.road ?? null;
}

function likenessTo({ first, second }: DirectEvidence, answer: Answer): Likeness {
  if (!first.ok || !second.ok) return 'nothing';
  const print = fingerprint(first.value, second.value);
  return print === null ? 'nothing' : compare(print, answer);
}

function sameUpstream(a: Upstream, b: Upstream): boolean {
  return a.scheme === b.scheme && a.host === b.host && a.port === b.port;
}

/** What servers answer to plain HTTP on an HTTPS port. */
function speaksHttps({ status, body }: Answer): boolean {
  return status === 400 && /HTTP request (was sent )?to (an )?HTTPS|speaking plain HTTP to an SSL/i.test(body);
}

/** The right service; what is left to say is where it sends the visitor. */
function fitting(road: PlannedRoad, upstream: Upstream, answer: Answer): LegResult {
  const unmet = unmetOf(road, answer);
  if (unmet !== null) return bad('service', 'unexpected', unmet);
  const problem = inwardRedirect(road, upstream, answer);
  const says = String(answer.status);
  if (problem !== null) return bad('service', problem.say === 'inside' ? 'shows inside' : 'to http', problem);
  const title = titleOf(answer.body);
  if (title !== null && isConsoleTitle(title) && isOpenUnmeant(road)) {
    const data = { key: road.display, why: `its page is titled "${title.slice(0, 60)}"` };
    return bad('service', 'open console', { card: consoleOpenWords, say: 'open', data, cause: `console:${road.name}` });
  }
  return ok('service', says);
}

/** What the map expects at the end of the road, beyond that it is the right service. */
function unmetOf({ name, rules: { expect } }: PlannedRoad, { status, body }: Answer): Problem | null {
  if (expect === null) return null;
  const cause = `expect:${name}`;
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

function inwardRedirect(road: PlannedRoad, upstream: Upstream, answer: Answer): Problem | null {
  const location = headerOf(answer, 'location');
  if (!isRedirect(answer.status) || location === null || !/^https?:\/\//i.test(location)) return null;
  let url: URL;
  try {
    url = new URL(location);
  } catch {
    return null;
  }
  const host = url.hostname.replace(/^\[|\]$/g, '');
  const data = { location, origin: `https://${road.authority}` };
  const cause = `inside:${location}`;
  if (
    host === upstream.host ||
    host === 'localhost' ||
    (!host.includes('.') && !host.includes(':')) ||
    isPrivate(host)
  ) {
    return { card: showsInside, say: 'inside', data, cause };
  }
  return host === road.name && url.protocol === 'http:' ? { card: showsInside, say: 'plain', data, cause } : null;
}

/** Judges a road that redirects: the exact place, path and query kept. */
export function judgeRoadRedirect({
  road,
  front,
  expected,
}: {
  road: PlannedRoad;
  front: Attempt<Answer>;
  expected: string;
}): LegResult {
  const cause = `redirect-of:${road.name}`;
  if (!front.ok) {
    return bad('service', 'breaks off', {
      card: frontCannotReach,
      say: 'broken',
      data: { reason: front.failure.reason },
      cause: `front-breaks:${front.failure.reason}`,
    });
  }
  const { status } = front.value;
  const found = headerOf(front.value, 'location');
  if (isRedirect(status) && found === expected) return ok('service', `to ${new URL(expected).hostname}`);
  const data = { status, found: found ?? 'no place', expected };
  return bad('service', 'elsewhere', { card: roadRedirectWrong, say: 'elsewhere', data, cause });
}

/** Judges a road that shows a folder: the front's own files, which nothing else can be asked for. */
export function judgeFolder({ road, front }: { road: PlannedRoad; front: Attempt<Answer> }): LegResult {
  const wanted = road.rules.expect?.status ?? null;
  if (front.ok && (wanted !== null || front.value.status < 300)) {
    const unmet = unmetOf(road, front.value);
    return unmet === null ? ok('service', 'folder') : bad('service', 'unexpected', unmet);
  }
  const data = { status: front.ok ? front.value.status : front.failure.reason };
  return bad('service', 'no page', { card: folderEmpty, say: 'no-page', data, cause: `folder:${road.name}` });
}

/** Judges a road that is paused: 503, and nothing of the service. */
export function judgePaused({ front }: { front: Attempt<Answer> }): LegResult {
  const status = front.ok ? front.value.status : 0;
  if (status === 503) return ok('service', 'paused');
  const data = { status: front.ok ? status : front.failure.reason };
  return bad('service', 'not paused', { card: pauseIgnored, say: 'answers', data, cause: 'pause-ignored' });
}
