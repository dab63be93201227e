import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Answer, Attempt } from '../answer.ts';
import { ok, severityOf, skipped, type LegResult, type Problem } from '../leg.ts';
import { isWelcomePage } from '../../proxies/known-answers.ts';
import { bypassedProblems, rateProblem, type Bypass, type RateEvidence } from './bypasses.ts';

const strangers = card({
  id: 'stranger-sees-something',
  severity: 'error',
  summary: 'The bare address, or a name that is not on the map, shows a service or a welcome page.',
  why: 'Scanners try addresses all day. What answers there without a name has no gate.',
  source: 'map reference: `front.unknown`; RFC 9110 §7.4',
  messages: {
    service: {
      message: '{url} shows the service of {names} to anyone who asks for {asked}.',
      remedy: 'Remove other default servers{defaultSite}, then make the map live: {live}',
    },
    welcome: {
      message: "{url} shows a server's welcome page to anyone who asks for {asked}.",
      remedy: 'Remove the default site of the server{defaultSite}, then make the map live: {live}',
    },
  },
});

const method = card({
  id: 'method-not-refused',
  severity: 'error',
  summary: 'A method that the map forbids gets through.',
  why: 'The front does not do what the map says.',
  source: 'RFC 9110 §15.5.6',
  messages: {
    passes: {
      message: '{names} answers {status} to {method}, which its `methods` forbid.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const bypassCards = [strangers, method];

/**
 * What somebody gets who names nothing that is on the map.
 *
 * @property asked what was asked for, in words @property shows road whose page it is, or null
 */
export interface StrangerEvidence {
  url: string;
  asked: string;
  attempt: Attempt<Answer>;
  shows: string | null;
}

/**
 * @property refused what came back for a method that the map forbids; null when all are allowed
 * @property bypasses where services of the road answer past the front
 */
interface BypassEvidence {
  road: PlannedRoad;
  strangers: readonly StrangerEvidence[];
  refused: { method: string; attempt: Attempt<Answer> } | null;
  bypasses: readonly Bypass[];
}

/** Judges the bypasses of a road: without its name, past the front, and by another method. */
export function judgeBypass({ road, strangers: seen, refused, bypasses }: BypassEvidence): LegResult {
  const problems = [
    ...seen.flatMap((one) => strangerProblem(one, road)),
    ...bypassedProblems(road, bypasses),
    ...methodProblem(refused),
  ];
  const isSeen = seen.length > 0 || refused !== null || bypasses.length > 0;
  return isSeen ? outcomeOf(problems) : skipped('bypass', 'no-answer');
}

/** The same with what came of more requests than the road allows. */
export function withRate(leg: LegResult, road: PlannedRoad, rate: RateEvidence): LegResult {
  return outcomeOf([...leg.problems, ...rateProblem(road, rate)]);
}

function outcomeOf(problems: Problem[]): LegResult {
  const severities = problems.map(severityOf);
  const worst = severities.includes('error') ? 'wrong' : severities.includes('warning') ? 'warning' : null;
  return worst === null
    ? ok('bypass', 'no-bypass', null, problems)
    : { leg: 'bypass', outcome: worst, kind: 'bypass', detail: null, problems };
}

function strangerProblem({ url, asked, attempt, shows }: StrangerEvidence, road: PlannedRoad): Problem[] {
  if (!attempt.ok || attempt.value.status >= 400) return [];
  const data = { url, asked };
  if (isWelcomePage(attempt.value)) return [{ card: strangers, say: 'welcome', data, cause: 'strangers' }];
  return shows === road.name ? [{ card: strangers, say: 'service', data, cause: `strangers:${road.name}` }] : [];
}

function methodProblem(refused: BypassEvidence['refused']): Problem[] {
  if (refused === null || !refused.attempt.ok) return [];
  const { status } = refused.attempt.value;
  // A refusal in other words is a refusal too.
  if (status >= 400 && status < 500) return [];
  const data = { status, method: refused.method };
  return status >= 500 ? [] : [{ card: method, say: 'passes', data, cause: `method:${refused.method}` }];
}

/** A method that the map forbids and that changes nothing anywhere, or null when it forbids none such. */
export function harmlessForbidden({ rules: { methods } }: PlannedRoad): string | null {
  if (methods === null) return null;
  return ['OPTIONS', 'PROPFIND', 'REPORT'].find((one) => !methods.includes(one)) ?? null;
}
