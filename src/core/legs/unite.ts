import { worse } from '../findings/finding.ts';
import { severityOf, type LegResult, type Problem } from './leg.ts';

/** How a leg came out for one part of a road, at one address of the front. @property part prefix of the part */
export interface LegAt {
  address: string;
  part: string;
  result: LegResult;
}

const weight: Record<LegResult['outcome'], number> = {
  wrong: 0,
  warning: 1,
  unsure: 2,
  untested: 3,
  ok: 4,
  skipped: 5,
};

/**
 * One result out of those of all parts at all addresses of the front, since a visitor may come to any of them: the worst outcome, and every
 * problem of all of them, each with the addresses and parts at which it is so when it is not so everywhere. Where the leg could not be
 * tested nothing is known. Null without any result.
 */
export function unite(results: readonly LegAt[]): LegResult | null {
  const [first, ...rest] = results;
  if (first === undefined) return null;
  const worst = rest.reduce((so, one) => (weight[one.result.outcome] < weight[so.result.outcome] ? one : so), first);
  const tested = results.filter(({ result }) => result.outcome !== 'skipped');
  const groups = new Map<string, Array<{ at: LegAt; problem: Problem }>>();
  for (const at of results)
    for (const problem of at.result.problems) {
      const key = [problem.card.id, problem.say, problem.cause].join(' ');
      groups.set(key, [...(groups.get(key) ?? []), { at, problem }]);
    }
  const problems = [...groups.values()].map((group) => united(group, tested));
  return { ...worst.result, problems };
}

function united(group: ReadonlyArray<{ at: LegAt; problem: Problem }>, tested: readonly LegAt[]): Problem {
  const [one] = group;
  if (one === undefined) throw new TypeError('a group has at least one problem');
  const severity = group.map(({ problem }) => severityOf(problem)).reduce(worse);
  const addresses = distinct(group.map(({ at }) => at.address));
  const parts = distinct(group.map(({ at }) => at.part));
  return {
    ...one.problem,
    ...(severity === severityOf(one.problem) ? {} : { severity }),
    ...(coversAll(addresses, tested, 'address') ? {} : { onlyAt: addresses }),
    ...(parts.includes('/') && coversAll(parts, tested, 'part') ? {} : { parts }),
  };
}

function coversAll(some: readonly string[], tested: readonly LegAt[], what: 'address' | 'part'): boolean {
  return tested.every((at) => some.includes(at[what]));
}

function distinct(values: readonly string[]): string[] {
  return [...new Set(values)];
}
