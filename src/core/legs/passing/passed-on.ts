import { card } from '../../findings/card.ts';
import type { Evidence } from '../../findings/finding.ts';
import { headerOf, headersOf, type Answer, type Attempt } from '../answer.ts';
import { cookieChanges, cookiesOf, foreignCookie, sharedCookie, type CookieChange } from './cookies.ts';
import { likenessTo, type DirectEvidence } from '../service/direct.ts';
import { traitsOf } from '../service/fingerprint.ts';
import type { Problem } from '../leg.ts';

/** What a front makes of an answer, or of a question that browsers ask in another way, while the plain question is answered rightly. */
const altersAnswer = card({
  id: 'front-alters-answer',
  severity: 'warning',
  summary: 'The front changes what the service answers.',
  why: 'The first page looks right. Logins do not last, downloads cannot be resumed, or some visitors see an error.',
  source: 'RFC 9110 §7.7, §9.3.2 (HEAD), §14 (ranges), §8.4.1; RFC 6265 §4.1',
  messages: {
    head: {
      message: '{names}: the front answers {status} to HEAD, where {upstream} answers {direct}.',
      remedy: 'In hand-written files, pass on HEAD like GET. Mile Marker’s configuration does: {live}',
    },
    range: {
      message:
        '{names}: {upstream} sends parts of its pages on request (206), and the front answers {status}: downloads and films cannot be resumed or skipped through.',
      remedy:
        'In hand-written files, let `Range` pass, and no cache or filter rewrite the page. Mile Marker’s configuration does: {live}',
    },
    packed: {
      message:
        '{names}: the front answers a browser, which accepts compression, differently from {upstream} ({status}).',
      remedy:
        'In hand-written files, compress in one place only: the service or the front. Mile Marker’s configuration leaves it to the service: {live}',
    },
    login: {
      message: '{names}: a login (Authorization) that a visitor sends does not reach {upstream}.',
      remedy: 'In hand-written files, pass on Authorization. Mile Marker’s configuration does: {live}',
    },
    'cookie-gone': {
      message: '{names}: the front takes away the cookie {cookie} that {upstream} sets.',
      remedy: 'In hand-written files, pass on Set-Cookie. Mile Marker’s configuration does: {live}',
    },
    'cookie-path': {
      message:
        '{names}: {upstream} sets the cookie {cookie} with Path={wanted}, and visitors get it with Path={found}.',
      remedy:
        'In hand-written files, remove what rewrites the paths of cookies. Mile Marker’s configuration leaves them alone: {live}',
    },
    'cookie-open': {
      message: '{names}: {upstream} sets the cookie {cookie} with `Secure`, and the front takes that away.',
      remedy: 'In hand-written files, leave Set-Cookie as it is. Mile Marker’s configuration does: {live}',
    },
    'cookie-domain': {
      message:
        '{names}: the front rewrites the cookie {cookie} to the domain {found}, which browsers reject. {upstream} sets it for {wanted}.',
      remedy:
        'In hand-written files, remove what rewrites the domains of cookies. Mile Marker’s configuration leaves them alone: {live}',
    },
  },
});

const shared = card({
  id: 'session-shared',
  severity: 'error',
  summary: 'The front gives everybody the same session.',
  why: 'A cache in front of a service keeps the page of one visitor, with its cookie. The next visitor is taken for that one.',
  source: 'RFC 9111 §7.3 (caching of sensitive information)',
  explains: ['front-shows-old-copy', 'front-alters-answer'],
  messages: {
    cookie: {
      message: '{names}: {upstream} sets a new {cookie} at each visit, and through the front it is always the same.',
      remedy:
        'In hand-written files, switch the cache off for this road{buffering}. Mile Marker’s configuration keeps no copies: {live}',
    },
  },
});

const foreign = card({
  id: 'cookie-not-kept',
  severity: 'warning',
  summary: 'A service sets a cookie for another name, which browsers do not keep.',
  why: 'Nobody stays logged in, and the service does not notice.',
  source: 'RFC 6265 §5.3',
  messages: {
    domain: {
      message: '{names} sets {cookie} for {found}. Browsers do not keep it.',
      remedy: "In the service's own settings set its public URL, or the domain of its cookies, to {origin}",
    },
  },
});

const claims = card({
  id: 'visitor-claims-reach-service',
  severity: 'warning',
  summary: 'What a visitor says about its own address reaches the service.',
  why: 'A service that trusts its front takes the first address in X-Forwarded-For for the visitor. Then anybody can claim any address, also one at home.',
  source: 'RFC 7239 §8.1; de facto header X-Forwarded-For',
  messages: {
    seen: {
      message: '{names}: the service sees the address {claimed} that this machine claimed in X-Forwarded-For.',
      remedy:
        'In hand-written files, replace the header instead of adding to it{visitorAddress}. Mile Marker’s configuration does: {live}',
    },
    obeyed: {
      message:
        '{names} answers {status} instead of {usual} when a visitor claims the address {claimed} in X-Forwarded-For.',
      remedy:
        'In hand-written files, replace the header instead of adding to it{visitorAddress}. Mile Marker’s configuration does: {live}',
    },
  },
});

const two = card({
  id: 'differs-over-http2',
  severity: 'error',
  summary: 'A road answers differently over HTTP/2 than over HTTP/1.1.',
  why: 'Every browser uses HTTP/2 where it is offered; tests by hand often do not. Visitors get the other answer.',
  source: 'RFC 9113 §8.3.1 (:authority)',
  explains: ['front-alters-answer'],
  messages: {
    status: {
      message: '{names} answers {status} over HTTP/2, which browsers use, and {usual} over HTTP/1.1.',
      remedy:
        'In hand-written files, look for rules on `Host`: over HTTP/2 it is `:authority`. Mile Marker’s configuration is right: {live}',
    },
    page: {
      message: '{names} shows another page over HTTP/2, which browsers use, than over HTTP/1.1.',
      remedy:
        'In hand-written files, see which server accepts HTTP/2 connections. Mile Marker’s configuration is right: {live}',
    },
    fails: {
      message: '{names} gives no answer over HTTP/2, which browsers use: {reason}. Over HTTP/1.1 it answers {usual}.',
      remedy: "Read the front's error log. Mile Marker’s configuration is right: {live}",
    },
  },
});

export const passedOnCards = [altersAnswer, shared, foreign, claims, two];

/** An address for documentation (RFC 5737), which nobody has. */
export const claimedAddress = '203.0.113.77';

/** Whether an answer is another one than the service gives: by its status, or by its page where that can be known again. */
export function isUnlike(own: DirectEvidence, usual: Answer, attempt: Attempt<Answer>): boolean {
  if (!attempt.ok) return attempt.failure.kind !== 'unreachable';
  if (attempt.value.status !== usual.status) return true;
  return likenessTo(own, traitsOf(attempt.value)) === 'different' && likenessTo(own, traitsOf(usual)) !== 'different';
}

/** Whether a page repeats the address that was claimed. */
export function repeatsClaim(attempt: Attempt<Answer>): boolean {
  return attempt.ok && attempt.value.body.includes(claimedAddress);
}

type Say = keyof typeof altersAnswer.messages;

export function alteredAnswer(say: Say, data: Evidence, name: string): Problem {
  return { card: altersAnswer, say, data, cause: `answer:${say}:${name}` };
}

export function claimProblem(say: 'seen' | 'obeyed', data: Evidence, name: string): Problem {
  return { card: claims, say, data: { ...data, claimed: claimedAddress }, cause: `claims:${name}` };
}

export function twoProblem(usual: Answer, attempt: Attempt<Answer>, name: string): Problem {
  const cause = `http2:${name}`;
  if (!attempt.ok)
    return { card: two, say: 'fails', data: { reason: attempt.failure.reason, usual: usual.status }, cause };
  const { status } = attempt.value;
  const say = status === usual.status ? 'page' : 'status';
  return { card: two, say, data: { status, usual: usual.status }, cause };
}

/** What of the service's cookies does not come to visitors as it was set. */
export function cookieProblems(
  own: DirectEvidence,
  fronts: readonly Answer[],
  { name, authority, upstream }: { name: string; authority: string; upstream: string },
): Problem[] {
  const [usual] = fronts;
  if (usual === undefined || !own.answer.ok) return [];
  const [first = [], second = []] = own.answer.value.cookies;
  const seen = fronts.map((one) => cookiesOf(headersOf(one, 'set-cookie')));
  const oneForAll = sharedCookie([first, second], seen);
  if (oneForAll !== null)
    return [{ card: shared, say: 'cookie', data: { cookie: oneForAll, upstream }, cause: `session:${name}` }];
  const always = first.filter((one) => second.some((also) => also.name === one.name));
  // One that is missing or other once may be so by itself.
  const [changes = [], ...others] = seen.map((one) => cookieChanges(always, one, name));
  const change = changes.find((one) =>
    others.every((all) => all.some((also) => also.way === one.way && also.name === one.name)),
  );
  if (change !== undefined && others.length > 0) return [changeProblem(change, name, upstream)];
  const strange = foreignCookie(seen[0] ?? [], name);
  if (strange === null) return [];
  const data = { cookie: strange.name, found: strange.domain, origin: `https://${authority}` };
  return [{ card: foreign, say: 'domain', data, cause: `cookie-domain:${name}` }];
}

function changeProblem({ way, name: cookie, found, wanted }: CookieChange, name: string, upstream: string): Problem {
  return alteredAnswer(`cookie-${way}`, { cookie, found, wanted, upstream }, name);
}

/** How a service refuses, to see whether it refuses otherwise what it was told. */
export function refusalOf(attempt: Attempt<Answer>): string {
  if (!attempt.ok) return attempt.failure.kind;
  return `${String(attempt.value.status)} ${headerOf(attempt.value, 'www-authenticate') ?? ''}`;
}
