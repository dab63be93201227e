import type { ProxyName } from '../proxies/names.ts';
import type { Plan } from '../plan/plan.ts';
import { prepare } from '../verdict/decide.ts';
import { rehearsalCases, type RehearsalCase } from './cases.ts';
import { expectedWords } from './compare.ts';
import { takenBy } from './taken.ts';

/** @property played how many requests a rehearsal of this map has @property otherwise those that the other proxy answers otherwise */
export interface MovedCases {
  played: number;
  otherwise: Array<{ road: string | null; what: string; before: string; after: string }>;
}

/** Which requests of a rehearsal are answered otherwise when a map moves from one proxy to another. */
export function movedCases(from: ProxyName, to: ProxyName, plan: Plan): MovedCases {
  const [before, after] = [from, to].map((proxy) => prepare({ ...plan, front: { ...plan.front, proxy } }));
  if (before === undefined || after === undefined) return { played: 0, otherwise: [] };
  const cases = rehearsalCases(after, new Map());
  const otherwise = cases.flatMap(({ sent, road, what }) => {
    const words = { before: answerOf(before, sent), after: answerOf(after, sent) };
    return words.before === words.after ? [] : [{ road, what, ...words }];
  });
  return { played: cases.length, otherwise };
}

function answerOf(prepared: ReturnType<typeof prepare>, own: RehearsalCase['sent']): string {
  const { sent, verdict, status } = takenBy(prepared, own);
  if (status !== null) return String(status);
  const service = verdict.act === 'forward' ? `${verdict.upstream.host}:${String(verdict.upstream.port)}` : null;
  return expectedWords({ sent, verdict, service, inFolder: 'file' });
}
