import { card } from '../../findings/card.ts';
import { headerOf, isRedirect, type Answer, type Attempt } from '../answer.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { bad, ok, severityOf, skipped, type LegResult, type Problem } from '../leg.ts';

const wrong = card({
  id: 'redirect-wrong',
  severity: 'error',
  summary: 'Plain HTTP does not redirect to the same page over HTTPS.',
  why: 'Visitors who type the name without https:// stay in clear text, or reach another page.',
  source: 'RFC 9110 §15.4 and §10.2.2',
  messages: {
    stays: {
      message: 'http://{names} answers {status} in clear text instead of redirecting to HTTPS.',
      remedy: 'The configuration that Mile Marker writes redirects every road. Make it live: {live}',
    },
    plain: {
      message: 'http://{names} redirects to clear text again: {found} instead of {expected}.',
      remedy: 'Redirect straight to https://, as Mile Marker’s configuration does: {live}',
    },
    host: {
      message: 'http://{names} redirects to another name: {found} instead of {expected}.',
      remedy:
        'In the redirect on port {port} use the requested host{keepHost}. Mile Marker’s configuration does: {live}',
    },
    port: {
      message: 'http://{names} redirects to a port that visitors do not use: {found} instead of {expected}.',
      remedy:
        'In the redirect write the outside port, or none when it is 443. Mile Marker’s configuration does: {live}',
    },
    path: {
      message: 'http://{names} loses or changes the path: it redirects to {found} instead of {expected}.',
      remedy:
        'In the redirect on port {port} keep the path and query unchanged{keepTarget}. Mile Marker’s configuration does: {live}',
    },
    query: {
      message: 'http://{names} loses or changes the query: it redirects to {found} instead of {expected}.',
      remedy:
        'In the redirect on port {port} keep the path and query unchanged{keepTarget}. Mile Marker’s configuration does: {live}',
    },
    'no-location': {
      message: 'http://{names} answers {status} without saying where to go.',
      remedy: 'Correct the redirect on port {port}. Mile Marker’s configuration is right: {live}',
    },
    escaped: {
      message:
        'http://{names} answers {status} to a path with an escaped slash (%2F), but redirects other paths to HTTPS.',
      remedy:
        'Links with such paths may break, such as those to files, packages or chat rooms. Keep the path and query unchanged{escapedSlashes}.',
    },
    failed: {
      message: 'http://{names} gets no answer: {reason}.',
      remedy: 'The server on port {port} may not know the name. Make the map live: {live}',
    },
  },
});

const temporary = card({
  id: 'redirect-temporary',
  severity: 'note',
  summary: 'The redirect to HTTPS is temporary.',
  why: 'Browsers ask in clear text again each time. 302 and 303 also turn a POST into a GET.',
  source: 'RFC 9110 §15.4.3, §15.4.4, §15.4.8',
  messages: {
    temporary: {
      message: 'http://{names} redirects to HTTPS with {status}, which is temporary.',
      remedy: 'Answer 308 (or 301), as Mile Marker’s configuration does: {live}',
    },
  },
});

const loop = card({
  id: 'redirect-loop',
  severity: 'error',
  summary: 'The redirects of a name form a loop.',
  why: 'Browsers stop with "too many redirects". Two layers both force HTTPS, or the application believes that it is on plain HTTP.',
  source: 'RFC 9110 §15.4: clients detect and refuse cyclical redirections',
  explains: [
    'service-unclear',
    'redirect-shows-inside',
    'wrong-service',
    'front-cannot-reach-service',
    'hsts-not-sent',
  ],
  messages: {
    loop: {
      message: 'The redirects of {name} form a loop: {circle}.',
      remedy:
        "In the service's own settings set its public https:// URL, or let it trust X-Forwarded-Proto. Or remove one of the redirects.",
    },
    endless: {
      message: 'The redirects of {name} never end. After {count} redirects the last one goes to {last}.',
      remedy:
        "Each redirect adds to the address. In the service's own settings set its public https:// URL, or let it trust X-Forwarded-Proto.",
    },
    edge: {
      message: 'The redirects of {names} form a loop: {circle}.',
      remedy:
        'The edge seems to speak plain HTTP to your front, which sends plain HTTP to HTTPS. Set the edge to speak HTTPS to the front, and to check its certificate.',
    },
  },
});

const hsts = card({
  id: 'hsts-not-sent',
  severity: 'warning',
  summary: 'Browsers do not get the HSTS setting of the map.',
  why: 'A browser may send its first request in clear text, where somebody else can answer it.',
  source: 'RFC 6797 §7.2',
  messages: {
    absent: {
      message: '{names} sends no Strict-Transport-Security; {asks} max-age={wanted}.',
      remedy: 'Make the map live: {live}',
    },
    short: {
      message: '{names} sends Strict-Transport-Security with max-age={found}; {asks} {wanted}.',
      remedy: "Mile Marker’s configuration replaces the service's own. Make it live: {live}",
    },
    kept: {
      message:
        '{names} sends Strict-Transport-Security with max-age={found}, but the map says `hsts: forget`. Browsers keep using only HTTPS.',
      remedy: "Mile Marker’s configuration replaces the service's own. Make it live: {live}",
    },
    subdomains: {
      message:
        '{names} sends Strict-Transport-Security with includeSubDomains, so browsers also refuse plain HTTP for {plain}, which is `plain` on the map.',
      remedy:
        'Remove includeSubDomains in the service that sends it, or remove `plain` from those roads. Mile Marker’s configuration never sends it: {live}',
    },
    zero: {
      message:
        '{names} sends Strict-Transport-Security with max-age=0, which makes browsers forget it; {asks} {wanted}.',
      remedy: "Mile Marker’s configuration replaces the service's own. Make it live: {live}",
    },
    garbled: {
      message: '{names} sends Strict-Transport-Security that no browser can read ({said}); {asks} max-age={wanted}.',
      remedy: 'Send exactly one, as max-age={wanted}, as Mile Marker’s configuration does: {live}',
    },
  },
});

const challengeShut = card({
  id: 'challenge-shut',
  severity: 'warning',
  summary: 'The front blocks the path that an authority checks at a renewal.',
  why: 'The certificate works until it expires. Then it cannot be renewed, and browsers refuse the name.',
  source: 'RFC 8555 §8.3 (HTTP challenge)',
  messages: {
    shut: {
      message:
        '{names}: over plain HTTP the front answers {status} below /.well-known/acme-challenge/, where the authority looks for the challenge.',
      remedy:
        'In hand-written files, answer that path before every gate and redirect. Mile Marker’s configuration does: {live}. Or use the DNS challenge: write `challenge: dns` under `acme`.',
    },
  },
});

export const redirectCards = [wrong, temporary, loop, hsts, challengeShut];

/** Whether what came back at the path of a challenge shows that no proof would be seen there; a 404 may be anybody's, and says nothing. */
export function challengeProblem(attempt: Attempt<Answer>): Problem[] {
  const status = attempt.ok ? attempt.value.status : attempt.failure.reason;
  const isShut = attempt.ok
    ? [401, 403, 405, 429].includes(attempt.value.status) || attempt.value.status >= 500
    : attempt.failure.kind === 'closed';
  return isShut ? [{ card: challengeShut, say: 'shut', data: { status }, cause: `challenge:${String(status)}` }] : [];
}

interface RedirectInput {
  name: string;
  port: number;
  /** Where the verdict says that plain HTTP must lead, byte for byte. */
  expected: string;
  attempt: Attempt<Answer>;
  /** URLs in the order in which a browser would have followed them; the last one repeats an earlier one when they loop. */
  hops: readonly string[];
  /** Whether they led on for as long as any browser follows, to ever new places. */
  isEndless: boolean;
  /** There is an edge in front, which is the usual culprit of a circle. */
  hasEdge: boolean;
  /** Whether a path without anything escaped leads where it must; null when that was not asked. */
  leadsPlain: boolean | null;
}

export function judgeRedirect({
  name,
  port,
  expected,
  attempt,
  hops,
  isEndless,
  hasEdge,
  leadsPlain,
}: RedirectInput): LegResult {
  if (!attempt.ok) {
    if (attempt.failure.kind === 'unreachable') return skipped('redirect', 'not-seen');
    const data = { reason: attempt.failure.reason, port };
    return bad('redirect', 'redirect-unanswered', {
      card: wrong,
      say: 'failed',
      data,
      cause: `redirect:${attempt.failure.reason}`,
    });
  }
  const { status } = attempt.value;
  const found = headerOf(attempt.value, 'location');
  const cause = `redirect:${name}`;
  const data = { name, status, port, expected, found };
  if (!isRedirect(status) && leadsPlain === true) {
    const problem = { card: wrong, say: 'escaped', data: { status }, cause: `redirect-escaped:${String(status)}` };
    return bad('redirect', 'redirect-escaped', { ...problem, severity: 'warning' });
  }
  if (!isRedirect(status)) {
    const problem = { card: wrong, say: 'stays', data: { status }, cause: `redirect-stays:${String(status)}` };
    return bad('redirect', 'stays-plain', problem, status);
  }
  if (found === null)
    return bad(
      'redirect',
      'redirect-no-place',
      { card: wrong, say: 'no-location', data, cause: 'redirect:none' },
      status,
    );
  const circle = circleOf(hops);
  if (circle !== null)
    return bad('redirect', 'redirect-loop', {
      card: loop,
      say: hasEdge ? 'edge' : 'loop',
      data: { name, circle },
      // The edge does it to all its names alike.
      cause: hasEdge ? 'redirect:edge' : cause,
    });
  if (isEndless) {
    const endless = { name, last: (hops[hops.length - 1] ?? '').slice(0, 200), count: hops.length };
    return bad('redirect', 'redirect-loop', { card: loop, say: 'endless', data: endless, cause });
  }
  const way = differenceOf(found, expected);
  // One redirect of the server is wrong for all its names alike; the first stands for them.
  if (way !== null)
    return bad('redirect', 'redirect-other-place', { card: wrong, say: way, data, cause: `redirect:${way}` }, way);
  if (status === 301 || status === 308) return ok('redirect', 'redirects', status);
  const note = { card: temporary, say: 'temporary', data: { status }, cause: `redirect-temporary:${String(status)}` };
  return ok('redirect', 'redirects', status, [note]);
}

/**
 * What of a Location is not as expected, by meaning: scheme and host without case, a port that is the scheme's own may be left out
 * (RFC 3986 §6.2), and a browser goes on from the URL that it asked for. Path and query count byte for byte.
 */
export function differenceOf(found: string, expected: string): 'plain' | 'host' | 'port' | 'path' | 'query' | null {
  if (found === expected) return null;
  const [is, should] = [partsOf(found), partsOf(expected)];
  if (is === null || should === null) return 'host';
  if (is.scheme !== should.scheme) return 'plain';
  if (is.host !== should.host) return 'host';
  if (is.port !== should.port) return 'port';
  if (is.path !== should.path) return 'path';
  return is.query === should.query ? null : 'query';
}

/** RFC 3986 appendix B. Null for what names no host: it stays where it was asked. */
function partsOf(url: string): Record<'scheme' | 'host' | 'port' | 'path' | 'query', string> | null {
  const match = /^(https?):\/\/(?:[^/?#@]*@)?(\[[^\]]*\]|[^/?#:]*)(?::(\d*))?([^?#]*)(\?[^#]*)?/i.exec(url);
  if (match === null) return null;
  const [, scheme = '', host = '', port = '', path = '', query = ''] = match;
  const own = scheme.toLowerCase() === 'https' ? '443' : '80';
  return {
    scheme: scheme.toLowerCase(),
    host: host.toLowerCase().replace(/\.$/, ''),
    port: port === '' ? own : port,
    path: path === '' ? '/' : path,
    query,
  };
}

/**
 * Whether browsers are told to insist on HTTPS, for as long as the map says (RFC 6797 §7.2). What the map does not name is ours to give, and
 * no promise that a front made by hand would break: then it is a note.
 */
export function hstsProblem(
  { rules, name, lines }: PlannedRoad,
  front: Answer | null,
  plainBelow: readonly string[],
): Problem[] {
  const wanted = rules.hsts ?? 0;
  // Many servers leave their headers off what they refuse.
  if (front === null || front.status >= 400) return [];
  const said = headerOf(front, 'strict-transport-security');
  if (plainBelow.length > 0 && /(?:^|;)\s*includeSubDomains\s*(?:;|$)/i.test(said ?? '')) {
    const data = { plain: [...plainBelow] };
    return [{ card: hsts, say: 'subdomains', data, cause: `hsts-below:${name}`, severity: 'warning' }];
  }
  const isWritten = lines['hsts'] !== undefined;
  if (wanted === 0 && !isWritten) return [];
  const problem = (say: string, more: Problem['data'], cause: string): Problem[] => {
    const data = { ...more, wanted, asks: isWritten ? 'the map asks for' : 'the default is' };
    return [{ card: hsts, say, data, cause, severity: isWritten ? 'warning' : 'note' }];
  };
  if (said === null) return wanted === 0 ? [] : problem('absent', {}, `hsts:${String(wanted)}`);
  const found = Number(/(?:^|;)\s*max-age\s*=\s*"?(\d+)"?\s*(?:;|$)/i.exec(said)?.[1] ?? NaN);
  const cause = `hsts:${name}`;
  if (Number.isNaN(found)) return problem('garbled', { said }, cause);
  if (wanted === 0) return found === 0 ? [] : problem('kept', { found }, cause);
  if (found === 0) return problem('zero', {}, cause);
  return found >= wanted ? [] : problem('short', { found }, cause);
}

/** What there is to say of HSTS, as a result of the redirect's leg. @param isTested whether plain HTTP itself was tested */
export function hstsResult(problems: Problem[], isTested: boolean): LegResult {
  const isWell = problems.every((one) => severityOf(one) === 'note');
  if (isWell) return { ...(isTested ? ok('redirect', 'redirects') : skipped('redirect', 'port-closed')), problems };
  return { leg: 'redirect', outcome: 'warning', kind: 'no-hsts', detail: null, problems };
}

function circleOf(hops: readonly string[]): string | null {
  const last = hops[hops.length - 1];
  const first = last === undefined ? -1 : hops.indexOf(last);
  return first === -1 || first === hops.length - 1 ? null : hops.slice(first).join(' -> ');
}
