import { card, messageOf } from '../../findings/card.ts';
import type { Evidence, Severity } from '../../findings/finding.ts';
import { partName } from '../../plan/parts.ts';
import { severityOf, type LegResult, type Problem } from '../leg.ts';

const edgeAlters = card({
  id: 'edge-alters',
  severity: 'error',
  summary: 'Something goes wrong only on the way through the edge.',
  why: 'The front itself gives the right answer when it is asked past the edge. Changes on this machine do not help.',
  source: 'map reference: `front.edge`',
  messages: {
    only: {
      message: 'Only through the edge: {seen}',
      remedy:
        'Without the edge, the front does this right. Check the settings of the edge: rewriting, headers, cookies, caching, WebSockets, TLS.',
    },
  },
});

export const edgeCards = [edgeAlters];

/** What is tested again past the edge: how a gate or a redirect treats this machine depends on where it comes from. */
const compared: ReadonlyArray<LegResult['leg']> = ['tls', 'service', 'websocket'];

/** Whether anything was found on the way through the edge that may be the edge's doing. */
export function mayBeEdge(legs: readonly LegResult[]): boolean {
  const weighs = (problem: Problem): boolean => severityOf(problem) !== 'note';
  return legs.some(({ leg, problems }) => compared.includes(leg) && problems.some(weighs));
}

/**
 * What is right at the front itself is the edge's.
 *
 * @param past the same legs past the edge; one that was not tested there proves nothing
 */
export function withoutEdge(
  road: string,
  legs: readonly LegResult[],
  past: readonly LegResult[],
  words: Evidence,
): LegResult[] {
  return legs.map((through) => {
    const control = past.find(({ leg }) => leg === through.leg);
    if (!compared.includes(through.leg) || control === undefined || !isTested(control)) return through;
    const stays = new Set(control.problems.map(({ card: { id } }) => id));
    const problems = through.problems.map((one) =>
      stays.has(one.card.id) || severityOf(one) === 'note' ? one : asEdges(road, one, words),
    );
    return { ...through, problems };
  });
}

/** Of a leg that is wrong at the front too, little is known of what else would be. */
function isTested({ leg, outcome }: LegResult): boolean {
  return leg === 'tls' ? ['ok', 'warning', 'wrong', 'unsure'].includes(outcome) : outcome === 'ok';
}

function asEdges(road: string, problem: Problem, words: Evidence): Problem {
  const { card: from, say, data, cause, parts = ['/'] } = problem;
  const names = parts.map((part) => partName(road, part));
  const severity: Severity = severityOf(problem);
  const seen = messageOf(from, say, { ...words, ...data, names });
  return {
    ...problem,
    card: edgeAlters,
    say: 'only',
    data: { ...data, seen, rule: from.id },
    cause: `edge:${cause}`,
    severity,
  };
}
