import { card } from '../findings/card.ts';
import { headerOf, isRedirect, type Answer, type Attempt } from './answer.ts';
import { bad, ok, type LegResult } from './leg.ts';

const wrong = card({
  id: 'redirect-wrong',
  severity: 'error',
  summary: 'Plain HTTP does not lead to the same place over HTTPS.',
  why: 'Who types the name without https:// stays in clear text, or lands elsewhere.',
  source: 'RFC 9110 §15.4 and §10.2.2',
  messages: {
    stays: {
      message: 'http://{names} answers {status} in clear text instead of leading to HTTPS.',
      remedy: 'Let plain HTTP redirect: the configuration that Mile Marker writes does so for every road.',
    },
    elsewhere: {
      message: 'http://{name} leads to {found}, and should lead to {expected}.',
      remedy: 'Path and query must be kept as they are; mend the redirect of the server on port {port}.',
    },
    'no-location': {
      message: 'http://{name} answers {status} without saying where to go.',
      remedy: 'Mend the redirect of the server on port {port}.',
    },
    failed: {
      message: 'http://{names} gets no answer: {reason}.',
      remedy: 'The server on port {port} may not know the name; bring the newest map live.',
    },
  },
});

const temporary = card({
  id: 'redirect-temporary',
  severity: 'note',
  summary: 'Plain HTTP leads to HTTPS for the moment only.',
  why: 'Browsers ask in clear text again each time; 302 and 303 also turn a POST into a GET.',
  source: 'RFC 9110 §15.4.3, §15.4.4, §15.4.8',
  messages: {
    temporary: {
      message: 'http://{names} leads to HTTPS with {status}, which is temporary.',
      remedy: 'Answer 308 (or 301).',
    },
  },
});

const loop = card({
  id: 'redirect-loop',
  severity: 'error',
  summary: 'Following the redirects of a name never ends.',
  why: 'Browsers stop with "too many redirects". Two layers both force HTTPS, or the application believes that it is on plain HTTP.',
  source: 'RFC 9110 §15.4: clients detect and refuse cyclical redirections',
  messages: {
    loop: {
      message: 'The redirects of {name} lead in a circle: {circle}.',
      remedy:
        'Tell the application that it is behind HTTPS (its public URL, or to trust X-Forwarded-Proto), or take one of the redirects away.',
    },
    edge: {
      message: 'The redirects of {name} lead in a circle: {circle}.',
      remedy:
        'The edge seems to speak plain HTTP to your front, which sends plain HTTP to HTTPS: set the edge to speak HTTPS to it, with the certificate checked.',
    },
  },
});

export const redirectCards = [wrong, temporary, loop];

export interface RedirectInput {
  name: string;
  port: number;
  /** Where the verdict says that plain HTTP must lead, byte for byte. */
  expected: string;
  attempt: Attempt<Answer>;
  /** URLs in the order in which a browser would have followed them; the last one repeats an earlier one when they loop. */
  hops: readonly string[];
  /** There is an edge in front, which is the usual culprit of a circle. */
  hasEdge: boolean;
}

export function judgeRedirect({ name, port, expected, attempt, hops, hasEdge }: RedirectInput): LegResult {
  if (!attempt.ok) {
    const data = { reason: attempt.failure.reason, port };
    return bad('redirect', 'no answer', {
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
  if (!isRedirect(status)) {
    return bad('redirect', String(status), {
      card: wrong,
      say: 'stays',
      data: { status },
      cause: `redirect-stays:${String(status)}`,
    });
  }
  if (found === null) return bad('redirect', String(status), { card: wrong, say: 'no-location', data, cause });
  const circle = circleOf(hops);
  if (circle !== null)
    return bad('redirect', 'loop', { card: loop, say: hasEdge ? 'edge' : 'loop', data: { name, circle }, cause });
  if (found !== expected) return bad('redirect', 'elsewhere', { card: wrong, say: 'elsewhere', data, cause });
  if (status === 301 || status === 308) return ok('redirect', String(status));
  const note = { card: temporary, say: 'temporary', data: { status }, cause: `redirect-temporary:${String(status)}` };
  return ok('redirect', String(status), [note]);
}

function circleOf(hops: readonly string[]): string | null {
  const last = hops[hops.length - 1];
  const first = last === undefined ? -1 : hops.indexOf(last);
  return first === -1 || first === hops.length - 1 ? null : hops.slice(first).join(' -> ');
}
