import type { LegResult, Problem } from './leg.ts';

/** How a leg came out at one address of the front. */
export interface LegAt {
  address: string;
  result: LegResult;
}

const weight: Record<LegResult['outcome'], number> = { wrong: 0, warning: 1, unsure: 2, ok: 3, skipped: 4 };

/**
 * One result out of those at every address of the front, since a visitor may come to any of them: the worst stands for all. What is not so
 * at all of them says where it is. An address at which the leg could not be driven says nothing. Null
 * without any address.
 */
export function overAddresses(results: readonly LegAt[]): LegResult | null {
  const [first, ...others] = results;
  if (first === undefined) return null;
  const worst = others.reduce(
    (so, one) => (weight[one.result.outcome] < weight[so.result.outcome] ? one : so),
    first,
  ).result;
  const driven = results.filter(({ result }) => result.outcome !== 'skipped');
  const problems = worst.problems.map((problem): Problem => {
    const where = driven.filter(({ result }) => result.problems.some((one) => isSame(one, problem)));
    return where.length === driven.length ? problem : { ...problem, onlyAt: where.map(({ address }) => address) };
  });
  return { ...worst, problems };
}

function isSame(a: Problem, b: Problem): boolean {
  return a.card === b.card && a.say === b.say && a.cause === b.cause;
}
