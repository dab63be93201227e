import type { Plan } from '../plan/plan.ts';
import { contextOf } from './context.ts';
import { steps } from './steps.ts';
import type { Prepared, Reason, Verdict, VerdictRequest } from './verdict.ts';

/** Makes a plan ready for decisions. Costs one pass over its roads. */
export function prepare(plan: Plan): Prepared {
  return {
    plan,
    roads: new Map(plan.roads.map((road) => [road.name, road])),
    covers: new Map(plan.certificates.flatMap(({ id, names }) => names.map((name) => [name, id] as const))),
  };
}

/**
 * The one meaning of a plan: what must happen to `request`. The builtin proxy does just this; what is written for other
 * servers is held against it by test, request by request.
 */
export function decide(prepared: Prepared, request: VerdictRequest): Verdict {
  const context = contextOf(prepared, request);
  for (const step of steps) {
    const taken = step.take(context);
    if (taken === null) continue;
    const because: Reason[] = [{ step: step.name, mapLine: taken.mapLine }];
    return { ...taken.act, because };
  }
  // The last step speaks for every road, and `unknown-name` for every request without one.
  throw new Error('no step decided: this is a mistake in Mile Marker');
}
