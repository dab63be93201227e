import type { GateFacts } from '../gates/kind.ts';
import { kindOf } from '../gates/kinds.ts';
import { withPort } from '../networks/address.ts';
import { contextOf, type Context } from './context.ts';
import { toldOf } from './client.ts';
import { decide } from './decide.ts';
import { factsOf, passGate, type PartOutcome } from './gate.ts';
import { steps } from './steps/all-steps.ts';
import type { StepName } from './steps/step-names.ts';
import { lineOf, nothingSet } from './steps/step.ts';
import { isNormal } from './target.ts';
import type { Prepared, Verdict, VerdictRequest } from './verdict.ts';

/** What one step makes of a request. @property mapLine 0 when no line of the map speaks there */
export interface ExplainedStep {
  step: StepName;
  outcome: 'passes' | 'decides' | 'not-reached';
  words: string;
  mapLine: number;
}

export interface Explanation {
  verdict: Verdict;
  client: string;
  steps: ExplainedStep[];
}

/** What will happen to a request, and why at each step. Nothing is sent. */
export function explain(prepared: Prepared, request: VerdictRequest): Explanation {
  const context = contextOf(prepared, request);
  const verdict = decide(prepared, request);
  const deciding = verdict.because[0];
  let decided = false;
  const explained = steps.flatMap(({ name, passing, deciding: why }): ExplainedStep[] => {
    if (decided) return [{ step: name, outcome: 'not-reached', words: '', mapLine: 0 }];
    decided = name === deciding?.step;
    const passed =
      name === 'gate'
        ? gateSteps(context)
        : [{ step: name, outcome: 'passes' as const, ...(passing?.(context) ?? nothingSet) }];
    if (!decided) return passed;
    const words =
      name === 'gate'
        ? `${passed[passed.length - 1]?.words ?? ''}: ${actWords(verdict)}`
        : [why?.(context), actWords(verdict)].filter((one) => one !== undefined).join(': ');
    const last: ExplainedStep = { step: name, outcome: 'decides', words, mapLine: deciding?.mapLine ?? 0 };
    return name === 'gate' ? [...passed.slice(0, -1), last] : [last];
  });
  return { verdict, client: toldOf(context.client), steps: explained };
}

function gateSteps({ road, client, target, request, prepared }: Context): ExplainedStep[] {
  if (road === null) return [];
  const outcomes = passGate(road.gate, { client, target, request, prepared });
  const facts = factsOf({ client, request, prepared });
  if (outcomes.length === 0)
    return [{ step: 'gate', outcome: 'passes', words: 'everyone passes', mapLine: lineOf(road, 'gate') }];
  return outcomes.map((one) => ({
    step: 'gate',
    outcome: 'passes',
    words: `\`${one.part.name}\`: ${partWords(one, facts, target)}`,
    mapLine: one.part.where.line,
  }));
}

function partWords({ part, excepted, passed, refusal, open }: PartOutcome, facts: GateFacts, target: string): string {
  if (excepted !== null) return `excepted: the path is at or below ${excepted}`;
  if (open !== null) return `${open.said} decides`;
  if (refusal === null) return passed.map((check) => kindOf(check).passedWords(check, facts)).join(', and ');
  const isNearly = part.except.length > 0 && !isNormal(target);
  return `${refusal.words}${isNearly ? ' (a path that is not in normal form is never excepted)' : ''}`;
}

/** What happens, in a few words. */
function actWords(verdict: Verdict): string {
  switch (verdict.act) {
    case 'no-handshake':
      return 'the handshake is refused';
    case 'close':
      return 'the connection is closed without an answer';
    case 'answer':
      return verdict.location === undefined
        ? `answers ${String(verdict.status)}`
        : `sends to ${verdict.location} (${String(verdict.status)})`;
    case 'ask':
      return 'passes if it answers 2xx, and not if it says nothing';
    case 'relay':
      return `the visitor gets its answer (${String(verdict.status)})`;
    case 'folder':
      return verdict.path === null
        ? `answers 404: there is no such file in ${verdict.root}`
        : `shows ${verdict.root}${verdict.path}`;
    case 'forward': {
      const { scheme, host, port } = verdict.upstream;
      return `goes to ${scheme}://${withPort(host, port)}${verdict.target}`;
    }
  }
}
