import { tell, type Card } from '../findings/card.ts';
import { partName } from '../plan/parts.ts';
import { worse, type Evidence, type Finding, type LegName, type Severity } from '../findings/finding.ts';

/** In which way a leg came out. Words for it are made when it is printed, by `labelOf`. */
export type LegKind =
  | 'resolves'
  | 'given-by-at'
  | 'resolver-silent'
  | 'name-missing'
  | 'name-elsewhere'
  | 'name-partly-elsewhere'
  | 'name-incomplete'
  | 'name-elsewhere-here'
  | 'past-edge'
  | 'no-zone'
  | 'no-server'
  | 'servers-disagree'
  | 'alias-circle'
  | 'alias-to-nowhere'
  | 'bogus'
  | 'remembers-no'
  | 'remembers-old'
  | 'listens'
  | 'port-closed'
  | 'port-not-served'
  | 'secure'
  | 'practice'
  | 'handshake-refused'
  | 'other-name'
  | 'throwaway'
  | 'expired'
  | 'not-yet-valid'
  | 'expires-soon'
  | 'no-chain'
  | 'untrusted'
  | 'weak-certificate'
  | 'no-staple'
  | 'chain-order'
  | 'old-tls'
  | 'weak-suite'
  | 'no-http2'
  | 'older-certificate'
  | 'redirects'
  | 'plain-as-planned'
  | 'redirect-unanswered'
  | 'redirect-escaped'
  | 'stays-plain'
  | 'redirect-no-place'
  | 'redirect-loop'
  | 'redirect-other-place'
  | 'no-hsts'
  | 'no-gate'
  | 'refused'
  | 'closed-silently'
  | 'passes'
  | 'open'
  | 'partly-open'
  | 'forged'
  | 'any-password'
  | 'login-refused'
  | 'refused-here'
  | 'address-unknown'
  | 'word-missing'
  | 'word-unknown'
  | 'answers'
  | 'to-place'
  | 'folder'
  | 'paused'
  | 'not-paused'
  | 'unclear'
  | 'breaks-off'
  | 'front-fails'
  | 'welcome-page'
  | 'early-hints'
  | 'altered'
  | 'listing'
  | 'answer-altered'
  | 'other-page'
  | 'old-copy'
  | 'held-back'
  | 'other-type'
  | 'itself-fails'
  | 'unproven'
  | 'nowhere'
  | 'strict-name'
  | 'varies'
  | 'asked-too-often'
  | 'down'
  | 'silent'
  | 'closed'
  | 'cut'
  | 'broken'
  | 'unreachable'
  | 'wants-https'
  | 'empty'
  | 'wrong-service'
  | 'unexpected'
  | 'not-told'
  | 'shows-inside'
  | 'other-port'
  | 'to-http'
  | 'open-cookie'
  | 'open-console'
  | 'elsewhere'
  | 'no-page'
  | 'uploads'
  | 'live-open'
  | 'live-silent'
  | 'live-refused'
  | 'live-sometimes'
  | 'live-not-passed'
  | 'not-expected'
  | 'no-bypass'
  | 'bypass'
  | 'needs-tls'
  | 'no-answer'
  | 'not-seen'
  | 'behind-gate'
  | 'in-circle'
  | 'not-asked'
  | 'raw'
  | 'udp'
  | 'raw-other'
  | 'says-nothing';

/** `unsure`: what came back does not settle it; `untested`: there is something to test, and it was not tested to its end; `skipped`: nothing to test */
export type Outcome = 'ok' | 'wrong' | 'warning' | 'unsure' | 'untested' | 'skipped';

/**
 * How one leg of one road came out.
 *
 * @property detail what belongs to the kind: a status, a protocol, addresses; null for nothing
 */
export interface LegResult {
  leg: LegName;
  outcome: Outcome;
  kind: LegKind;
  detail: string | number | null;
  problems: Problem[];
}

/**
 * A finding before its roads are gathered. Problems of one card and cause become one finding.
 *
 * @property onlyAt the addresses of the front at which it is so, when it is not so at all of them
 * @property parts prefixes of the parts of the road at which it is so, when it is not so of all of it
 */
export interface Problem {
  card: Card;
  say: string;
  data: Evidence;
  cause: string;
  severity?: Severity;
  onlyAt?: readonly string[];
  parts?: readonly string[];
}

export function ok(
  leg: LegName,
  kind: LegKind,
  detail: LegResult['detail'] = null,
  problems: Problem[] = [],
): LegResult {
  return { leg, outcome: 'ok', kind, detail, problems };
}

export function skipped(leg: LegName, kind: LegKind): LegResult {
  return { leg, outcome: 'skipped', kind, detail: null, problems: [] };
}

/** What was not tested to its end, and how it can be. It never counts as well. */
export function untested(leg: LegName, kind: LegKind, problems: Problem[] = []): LegResult {
  return { leg, outcome: 'untested', kind, detail: null, problems };
}

/** The same result with more problems: one that was well is what the worst of them is. */
export function withProblems(result: LegResult, more: readonly Problem[]): LegResult {
  const [first] = more;
  if (first === undefined) return result;
  const problems = [...result.problems, ...more];
  return result.outcome === 'wrong'
    ? { ...result, problems }
    : { ...result, outcome: bad(result.leg, result.kind, first).outcome, problems };
}

export function severityOf({ card, severity }: Problem): Severity {
  return severity ?? card.severity;
}

/** A result whose outcome follows from the severity of its problem. */
export function bad(leg: LegName, kind: LegKind, problem: Problem, detail: LegResult['detail'] = null): LegResult {
  const outcomes = { error: 'wrong', warning: 'warning', note: 'unsure' } as const;
  return { leg, outcome: outcomes[severityOf(problem)], kind, detail, problems: [problem] };
}

/**
 * The same result where visitors get an error of a server (RFC 9110 §15.6): that is worth a warning at least, whatever it comes from, and however little is
 * known of it.
 */
export function asVisitorsFail(result: LegResult, status: number | null): LegResult {
  const isMild = result.outcome === 'unsure' || result.outcome === 'untested';
  if (status === null || status < 500 || !isMild || result.problems.length === 0) return result;
  return { ...result, outcome: 'warning', problems: result.problems.map((one) => ({ ...one, severity: 'warning' })) };
}

/** The legs of one road. @property millis how long the answer to its first page took; null or absent when there was none to measure */
export interface RoadLegs {
  road: string;
  legs: LegResult[];
  millis?: number | null;
}

/** How a road is as a whole. It is well only when it was tested to its end, and nothing was found. */
export function standingOf({
  legs,
}: {
  legs: ReadonlyArray<Pick<LegResult, 'leg' | 'outcome'>>;
}): 'well' | 'untested' | 'unsure' | 'faulty' {
  const has = (...outcomes: Outcome[]): boolean => legs.some(({ outcome }) => outcomes.includes(outcome));
  if (has('wrong', 'warning')) return 'faulty';
  if (has('unsure')) return 'unsure';
  const reached = legs.some(({ leg, outcome }) => leg === 'service' && outcome === 'ok');
  return reached && !has('untested') ? 'well' : 'untested';
}

/** How many roads are in which way. */
export function countStandings(roads: readonly RoadLegs[]): Record<ReturnType<typeof standingOf>, number> {
  const counts = { well: 0, untested: 0, unsure: 0, faulty: 0 };
  for (const road of roads) counts[standingOf(road)] += 1;
  return counts;
}

/** A problem that follows from another one of the same road. @property by rule of the one that is told */
export interface ExplainedAway {
  road: string;
  leg: LegName;
  by: string;
  problem: Problem;
}

/** Whether one problem follows from the other: by their cards, and where both are so. */
function explains(by: Problem, { card: { id }, onlyAt, parts }: Problem): boolean {
  const meets = (a: readonly string[] | undefined, b: readonly string[] | undefined): boolean =>
    a === undefined || b === undefined || a.some((one) => b.includes(one));
  return (
    by.card.id !== id && by.card.explains?.includes(id) === true && meets(by.onlyAt, onlyAt) && meets(by.parts, parts)
  );
}

/**
 * Takes out what follows from another problem of the same road, as the cards say it: one cause, one finding, at least as bad as what follows
 * from it. What is taken out is not lost.
 */
export function explainAway(roads: readonly RoadLegs[]): { told: RoadLegs[]; away: ExplainedAway[] } {
  const away: ExplainedAway[] = [];
  const told = roads.map(({ road, legs, ...rest }) => {
    const all = legs.flatMap(({ problems }) => problems);
    // Nothing explains itself by way of others, so this ends at one that is told.
    const explainer = (problem: Problem): Problem | undefined => {
      const by = all.find((other) => explains(other, problem));
      return by === undefined ? undefined : (explainer(by) ?? by);
    };
    const weighed = new Map<Problem, Severity>();
    const kept = legs.map((leg) => {
      const problems = leg.problems.filter((problem) => {
        const by = explainer(problem);
        if (by === undefined) return true;
        away.push({ road, leg: leg.leg, by: by.card.id, problem });
        weighed.set(by, worse(weighed.get(by) ?? severityOf(by), severityOf(problem)));
        return false;
      });
      return { ...leg, problems };
    });
    const told = kept.map((leg) => ({
      ...leg,
      problems: leg.problems.map((one) => ({ ...one, severity: weighed.get(one) ?? severityOf(one) })),
    }));
    return { ...rest, road, legs: told };
  });
  return { told, away };
}

/**
 * Findings of all roads: each cause told once, with every road it breaks, their names and parts also as `{names}` for the sentence. Roads of which it is
 * no more than worth knowing are left out beside those that it breaks.
 *
 * @param words what remedies say of the map's own proxy and this machine
 */
export function findingsOf(roads: readonly RoadLegs[], words: Evidence = {}): Finding[] {
  const groups = new Map<string, Array<{ road: string; leg: LegName; problem: Problem }>>();
  for (const { road, legs } of roads)
    for (const { leg, problems } of legs)
      for (const problem of problems) {
        const key = [problem.card.id, problem.say, problem.cause, ...(problem.onlyAt ?? [])].join(' ');
        const group = groups.get(key) ?? [];
        group.push({ road, leg, problem });
        groups.set(key, group);
      }
  return [...groups.values()].flatMap((group) => {
    const severity = group.map(({ problem }) => severityOf(problem)).reduce(worse);
    const broken = group.filter(({ problem }) => severity === 'note' || severityOf(problem) !== 'note');
    const roads = [...new Set(broken.map(({ road }) => road))];
    const names = broken.flatMap(({ road, problem: { parts = ['/'] } }) => parts.map((part) => partName(road, part)));
    return broken.slice(0, 1).map(({ leg, problem }) => {
      const data = gathered(broken.map((one) => one.problem.data));
      return findingOf({ ...problem, severity, data }, leg, { roads, names, words });
    });
  });
}

/** Facts of several roads with one cause: the first one's, and of each list what stands in any of them. */
function gathered(all: readonly Evidence[]): Evidence {
  const [first = {}] = all;
  return Object.fromEntries(
    Object.entries(first).map(([key, value]) => {
      if (!Array.isArray(value)) return [key, value];
      const others = all.flatMap(({ [key]: more }) => (Array.isArray(more) ? more : []));
      return [key, [...new Set(others)]];
    }),
  );
}

function findingOf(
  { card, say, data, cause, severity, onlyAt }: Problem,
  leg: LegName,
  { roads, names, words }: { roads: string[]; names: string[]; words: Evidence },
): Finding {
  const input = { say, data: { ...data, names: someOf([...new Set(names)]) }, words, roads, leg, cause };
  const told = tell(card, severity === undefined ? input : { ...input, severity });
  return onlyAt === undefined ? told : { ...told, message: `${told.message} Only at ${onlyAt.join(' and ')}.` };
}

function someOf(names: readonly string[]): string {
  const shown = names.slice(0, 4).join(', ');
  return names.length > 4 ? `${shown} and ${String(names.length - 4)} more` : shown;
}
