import type { GatePart, PlannedRoad } from '../plan/plan.ts';
import { contextOf, type Context } from './context.ts';
import { decide } from './decide.ts';
import { passGate, type PartOutcome } from './gate.ts';
import { lineOf, steps } from './steps.ts';
import { isBelow, isNormal } from './target.ts';
import type { Prepared, StepName, Verdict, VerdictRequest } from './verdict.ts';

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
  const explained = steps.flatMap(({ name }): ExplainedStep[] => {
    if (decided) return [{ step: name, outcome: 'not-reached', words: '', mapLine: 0 }];
    decided = name === deciding?.step;
    const passed =
      name === 'gate' ? gateSteps(context) : [{ step: name, outcome: 'passes' as const, ...passes(name, context) }];
    if (!decided) return passed;
    const words =
      name === 'gate'
        ? `${passed[passed.length - 1]?.words ?? ''}: ${actWords(verdict)}`
        : `${whyDecides(name, context)}${actWords(verdict)}`;
    const last: ExplainedStep = { step: name, outcome: 'decides', words, mapLine: deciding?.mapLine ?? 0 };
    return name === 'gate' ? [...passed.slice(0, -1), last] : [last];
  });
  return { verdict, client: context.client, steps: explained };
}

function gateSteps({ road, client, target, request }: Context): ExplainedStep[] {
  if (road === null) return [];
  const outcomes = passGate(road.gate, { client, target, request });
  if (outcomes.length === 0)
    return [{ step: 'gate', outcome: 'passes', words: 'everyone may pass', mapLine: lineOf(road, 'gate') }];
  return outcomes.map((one) => ({
    step: 'gate',
    outcome: 'passes',
    words: `\`${one.part.name}\`: ${partWords(one, client, target)}`,
    mapLine: one.part.where.line,
  }));
}

function partWords({ part, why }: PartOutcome, client: string, target: string): string {
  const nearly =
    part.except.length > 0 && !isNormal(target) ? ' (a path that is not in normal form is never excepted)' : '';
  switch (why) {
    case 'excepted':
      return `excepted, since the path lies at or below ${part.except.find((prefix) => isBelow(target, prefix)) ?? ''}`;
    case 'network':
      return `${client} is in its networks`;
    case 'network-and-person':
      return `${client} is in its networks, and the password is right`;
    case 'person':
      return 'the password is right';
    case 'not-from-here':
      return `${client} is in none of its networks${closed(part)}${nearly}`;
    case 'no-password':
      return `no password came along${nearly}`;
    case 'wrong-password':
      return `the password proves nobody it knows${nearly}`;
  }
}

function closed({ networks }: GatePart): string {
  return networks?.except.length === 0 || networks === null ? '' : ` (${networks.except.join(', ')} does not count)`;
}

/** Why a step lets a request go on. */
function passes(step: StepName, context: Context): { words: string; mapLine: number } {
  const { road, request, client, prepared, sni } = context;
  const frontLine = prepared.plan.front.where.line;
  const none = { words: 'nothing is set', mapLine: 0 };
  switch (step) {
    case 'handshake':
      if (request.listener === 'http') return { words: 'plain HTTP has none', mapLine: 0 };
      return {
        words: `the certificate \`${prepared.certificateFor(sni ?? '') ?? ''}\` is shown`,
        mapLine: road?.where.line ?? frontLine,
      };
    case 'true-address':
      return {
        words: client === request.peer ? `the visitor is ${client}` : `the edge says that the visitor is ${client}`,
        mapLine: client === request.peer ? 0 : frontLine,
      };
    case 'sanity':
      return { words: 'the request is well-formed', mapLine: 0 };
    case 'acme-challenge':
      return { words: 'no question of an authority', mapLine: 0 };
    case 'unknown-name':
      return { words: `${road?.display ?? ''} is on the map`, mapLine: road?.where.line ?? 0 };
    case 'misdirected':
      return { words: 'the name fits the certificate', mapLine: 0 };
    case 'plain-http':
      return {
        words: request.listener === 'http' ? 'served on plain HTTP too' : 'it came over HTTPS',
        mapLine: request.listener === 'http' && road !== null ? lineOf(road, 'plain') : 0,
      };
    case 'paused':
      return { words: 'the road is open', mapLine: 0 };
    default:
      return road === null ? none : passesRule(step, road, request);
  }
}

function passesRule(step: StepName, road: PlannedRoad, { method }: VerdictRequest): { words: string; mapLine: number } {
  const { rules } = road;
  const none = { words: 'nothing is set', mapLine: 0 };
  switch (step) {
    case 'body-limit':
      return rules.bodyLimitBytes === null
        ? none
        : { words: `not longer than ${String(rules.bodyLimitBytes)} bytes`, mapLine: lineOf(road, 'body-limit') };
    case 'method':
      return rules.methods === null
        ? none
        : { words: `${method} is one of ${rules.methods.join(', ')}`, mapLine: lineOf(road, 'methods') };
    case 'cors-preflight':
      return rules.cors === null ? none : { words: 'it is no preflight', mapLine: lineOf(road, 'cors') };
    case 'rate': {
      if (rules.rate === null) return none;
      const { requests, perSeconds, burst } = rules.rate;
      const written = `${String(requests)}/${perSeconds === 1 ? 's' : 'm'} burst ${String(burst)}`;
      const by = road.lines['rate'] === undefined ? ', which every gate with people has' : '';
      return { words: `within ${written}${by}`, mapLine: lineOf(road, 'rate', 'gate') };
    }
    default:
      return none;
  }
}

function whyDecides(step: StepName, { request, road, sni }: Context): string {
  switch (step) {
    case 'handshake':
      return `${sni === null ? 'without a name' : `for ${sni}`} no certificate is shown: `;
    case 'sanity':
      return 'the request is malformed, or its method is never allowed: ';
    case 'unknown-name':
      return 'the name is not on the map: ';
    case 'misdirected':
      return 'the certificate that was shown is not for this name: ';
    case 'paused':
      return 'taken off for a while: ';
    case 'method':
      return `${request.method} is none of ${(road?.rules.methods ?? []).join(', ')}: `;
    case 'rate':
      return 'too many requests: ';
    case 'body-limit':
      return 'longer than is allowed: ';
    default:
      return '';
  }
}

/** What happens, in a few words. */
export function actWords(verdict: Verdict): string {
  switch (verdict.act) {
    case 'no-handshake':
      return 'the handshake is refused';
    case 'close':
      return 'the connection is closed without a byte';
    case 'answer':
      return verdict.location === undefined
        ? `answers ${String(verdict.status)}`
        : `sends to ${verdict.location} (${String(verdict.status)})`;
    case 'folder':
      return verdict.path === null
        ? `answers 404: no file of ${verdict.root} is called so`
        : `shows ${verdict.root}${verdict.path}`;
    case 'forward': {
      const { scheme, host, port } = verdict.upstream;
      return `goes to ${scheme}://${host.includes(':') ? `[${host}]` : host}:${String(port)}${verdict.target}`;
    }
  }
}
