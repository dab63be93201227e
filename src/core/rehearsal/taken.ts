import { programOf } from '../proxies/programs.ts';
import { decide } from '../verdict/decide.ts';
import type { Prepared, Verdict } from '../verdict/verdict.ts';
import { requestOf, type Sent } from './sent.ts';

/** A request as the front's proxy takes it, and what must happen to it then. @property status of the answer where a declared difference sets it */
interface Taken {
  sent: Sent;
  verdict: Verdict;
  status: number | null;
}

/** The verdict, but for what a proxy is declared to take otherwise. */
export function takenBy(prepared: Prepared, sent: Sent): Taken {
  const verdict = decide(prepared, requestOf(sent));
  const taking = programOf(prepared.plan.front.proxy).takes?.(sent, verdict, prepared) ?? null;
  if (taking === null) return { sent, verdict, status: null };
  // What it is taken for may be subject to another one; each takes away its own cause.
  if ('as' in taking) return takenBy(prepared, taking.as);
  if ('verdict' in taking) return { sent, verdict: taking.verdict, status: null };
  const { status } = taking;
  return { sent, verdict: { act: 'answer', status, headers: {}, because: [{ step: 'sanity', mapLine: 0 }] }, status };
}
