import type { GatePart, PlannedRoad } from '../plan/plan.ts';
import { isWildcard } from '../names/wildcard.ts';
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

/** What a step says, and the line of the map that it says it by. */
interface Said {
  words: string;
  mapLine: number;
}

const nothingSet: Said = { words: 'nothing is set', mapLine: 0 };

/** Why a step lets a request go on. */
function passes(step: StepName, context: Context): Said {
  return (passingWords[step] ?? (() => nothingSet))(context);
}

type Passing = (context: Context) => Said;

/** The same for what a road sets; without the key nothing is said. */
const ofRoad =
  (key: string, words: (road: PlannedRoad, request: VerdictRequest) => string | null, other = key): Passing =>
  ({ road, request }) => {
    const said = road === null ? null : words(road, request);
    return road === null || said === null ? nothingSet : { words: said, mapLine: lineOf(road, key, other) };
  };

const passingWords: Partial<Record<StepName, Passing>> = {
  handshake: ({ request, prepared, sni, road }) =>
    request.listener === 'http'
      ? { words: 'plain HTTP has none', mapLine: 0 }
      : {
          words: `the certificate \`${prepared.certificateFor(sni ?? '') ?? ''}\` is shown`,
          mapLine: road?.where.line ?? prepared.plan.front.where.line,
        },
  'true-address': ({ client, request, prepared }) =>
    client === request.peer
      ? { words: `the visitor is ${client}`, mapLine: 0 }
      : { words: `the edge says that the visitor is ${client}`, mapLine: prepared.plan.front.where.line },
  sanity: () => ({ words: 'the request is well-formed', mapLine: 0 }),
  'acme-challenge': () => ({ words: 'no question of an authority', mapLine: 0 }),
  'unknown-name': ({ road }) => ({ words: onMap(road), mapLine: road?.where.line ?? 0 }),
  misdirected: () => ({ words: 'the name fits the certificate', mapLine: 0 }),
  'plain-http': ({ request, road }) =>
    request.listener === 'https' || road === null
      ? { words: 'it came over HTTPS', mapLine: 0 }
      : { words: 'served on plain HTTP too', mapLine: lineOf(road, 'plain') },
  paused: () => ({ words: 'the road is open', mapLine: 0 }),
  'body-limit': ofRoad('body-limit', ({ rules }) =>
    rules.bodyLimitBytes === null ? null : `not longer than ${String(rules.bodyLimitBytes)} bytes`,
  ),
  method: ofRoad('methods', ({ rules }, { method }) =>
    rules.methods === null ? null : `${method} is one of ${rules.methods.join(', ')}`,
  ),
  'cors-preflight': ofRoad('cors', ({ rules }) => (rules.cors === null ? null : 'it is no preflight')),
  rate: ofRoad(
    'rate',
    ({ rules, lines }) => {
      if (rules.rate === null) return null;
      const { requests, perSeconds, burst } = rules.rate;
      const by = lines['rate'] === undefined ? ', which every gate with people has' : '';
      return `within ${String(requests)}/${perSeconds === 1 ? 's' : 'm'} burst ${String(burst)}${by}`;
    },
    'gate',
  ),
};

function onMap(road: PlannedRoad | null): string {
  if (road === null) return '';
  return isWildcard(road.display) ? `${road.name} is one of the other names` : `${road.display} is on the map`;
}

function whyDecides(step: StepName, context: Context): string {
  const words = (decidingWords[step] ?? (() => ''))(context);
  return words === '' ? '' : `${words}: `;
}

const decidingWords: Partial<Record<StepName, (context: Context) => string>> = {
  handshake: ({ sni }) => `${sni === null ? 'without a name' : `for ${sni}`} no certificate is shown`,
  sanity: () => 'the request is malformed, or its method is never allowed',
  'unknown-name': () => 'the name is not on the map',
  misdirected: () => 'the certificate that was shown is not for this name',
  paused: () => 'taken off for a while',
  'cors-preflight': () => 'a browser asks for a page of another origin',
  method: ({ request, road }) => `${request.method} is none of ${(road?.rules.methods ?? []).join(', ')}`,
  rate: () => 'too many requests',
  'body-limit': () => 'longer than is allowed',
};

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
