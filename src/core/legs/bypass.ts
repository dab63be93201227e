import { card } from '../findings/card.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import type { Answer, Attempt } from './answer.ts';
import { headerOf } from './answer.ts';
import { ok, skipped, type LegResult, type Problem } from './leg.ts';
import { isWelcomePage } from './own-pages.ts';

const strangers = card({
  id: 'stranger-sees-something',
  severity: 'error',
  summary: 'Who asks for the bare address sees a service or a welcome page.',
  why: 'Scanners ask for addresses all day. What answers there is found without its name, past what the name’s road would ask.',
  source: 'map reference: `front.unknown`; RFC 9110 §7.4',
  messages: {
    service: {
      message: '{url} without a name shows what {names} shows.',
      remedy: 'Let the default server refuse: bring the newest map live, and take other default servers out.',
    },
    welcome: {
      message: "{url} without a name shows a server's welcome page.",
      remedy:
        'Take the default site of the server out (on Debian: rm /etc/nginx/sites-enabled/default), and bring the newest map live.',
    },
  },
});

const method = card({
  id: 'method-not-refused',
  severity: 'error',
  summary: 'A method that the map forbids gets through.',
  why: 'The running front is not what the map says.',
  source: 'RFC 9110 §15.5.6',
  messages: {
    passes: {
      message: '{names} answers {status} to {method}, which its `methods` forbid.',
      remedy: 'Bring the newest map live.',
    },
  },
});

const hsts = card({
  id: 'hsts-not-sent',
  severity: 'warning',
  summary: 'Browsers are not told to insist on HTTPS as the map says.',
  why: 'The first request of a day may go out in clear text, and be answered by somebody else.',
  source: 'RFC 6797 §7.2',
  messages: {
    absent: {
      message: '{names} sends no Strict-Transport-Security, and the map asks for max-age={wanted}.',
      remedy: 'Bring the newest map live.',
    },
    short: {
      message: '{names} sends Strict-Transport-Security with max-age={found}, and the map asks for {wanted}.',
      remedy: 'Bring the newest map live; if the service sends its own, the front must take that away.',
    },
  },
});

export const bypassCards = [strangers, method, hsts];

/** What somebody gets who names nothing that is on the map. @property shows road whose page it is, or null */
export interface StrangerEvidence {
  url: string;
  attempt: Attempt<Answer>;
  shows: string | null;
}

/** @property refused what came back for a method that the map forbids; null when all are allowed @property front the answer that the road gave */
export interface BypassEvidence {
  road: PlannedRoad;
  strangers: readonly StrangerEvidence[];
  refused: { method: string; attempt: Attempt<Answer> } | null;
  front: Answer | null;
}

/** Judges the ways round a road: without its name, by another method, and in clear text next time. */
export function judgeBypass({ road, strangers: seen, refused, front }: BypassEvidence): LegResult {
  const problems = [
    ...seen.flatMap((one) => strangerProblem(one, road)),
    ...methodProblem(refused),
    ...hstsProblem(road, front),
  ];
  if (problems.length === 0)
    return seen.length === 0 && refused === null && front === null
      ? skipped('bypass', 'no answer')
      : ok('bypass', 'none');
  const severe = problems.some((problem) => (problem.severity ?? problem.card.severity) === 'error');
  return { leg: 'bypass', outcome: severe ? 'wrong' : 'warning', says: severe ? 'a way round' : 'no HSTS', problems };
}

function strangerProblem({ url, attempt, shows }: StrangerEvidence, road: PlannedRoad): Problem[] {
  if (!attempt.ok || attempt.value.status >= 400) return [];
  if (isWelcomePage(attempt.value)) return [{ card: strangers, say: 'welcome', data: { url }, cause: 'strangers' }];
  return shows === road.name
    ? [{ card: strangers, say: 'service', data: { url }, cause: `strangers:${road.name}` }]
    : [];
}

function methodProblem(refused: BypassEvidence['refused']): Problem[] {
  if (refused === null || !refused.attempt.ok) return [];
  const { status } = refused.attempt.value;
  // A refusal in other words is a refusal too.
  if (status >= 400 && status < 500) return [];
  const data = { status, method: refused.method };
  return status >= 500 ? [] : [{ card: method, say: 'passes', data, cause: `method:${refused.method}` }];
}

function hstsProblem({ rules, name }: PlannedRoad, front: Answer | null): Problem[] {
  const wanted = rules.hsts ?? 0;
  if (front === null || wanted === 0 || front.status >= 500) return [];
  const said = headerOf(front, 'strict-transport-security');
  const found = Number(/max-age="?(\d+)/i.exec(said ?? '')?.[1] ?? 0);
  if (said === null) return [{ card: hsts, say: 'absent', data: { wanted }, cause: `hsts:${String(wanted)}` }];
  return found >= wanted ? [] : [{ card: hsts, say: 'short', data: { found, wanted }, cause: `hsts:${name}` }];
}

/** A method that the map forbids and that changes nothing anywhere, or null when it forbids none such. */
export function harmlessForbidden({ rules: { methods } }: PlannedRoad): string | null {
  if (methods === null) return null;
  return ['OPTIONS', 'PROPFIND', 'REPORT'].find((one) => !methods.includes(one)) ?? null;
}
