import { covers } from '../certificates/cover.ts';
import { deviceCheckOf } from '../gates/devices.ts';
import { isWildcard } from '../names/wildcard.ts';
import { hostOfHeader } from '../names/host-name.ts';
import { inNetworks, parseAddress } from '../networks/address.ts';
import { roadFinder, roadNamed } from '../plan/wildcard-road.ts';
import type { Plan } from '../plan/plan.ts';
import { answerRules, ownHeaders } from './answer-rules.ts';
import { contextOf, type Context } from './context.ts';
import { steps } from './steps/all-steps.ts';
import { isBefore, type StepName } from './steps/step-names.ts';
import type { Act, Prepared, Reason, Verdict, VerdictRequest } from './verdict.ts';

/** Makes a plan ready for decisions. Costs one pass over its roads. */
export function prepare(plan: Plan): Prepared {
  const roadOf = roadFinder(plan.roads);
  // A stranger's name gets the first wildcard that covers it.
  const wildcards = plan.certificates.filter(({ names }) => names.some(isWildcard));
  const certificateFor = (name: string): string | null =>
    roadOf(name)?.certificate ?? wildcards.find(({ names }) => covers(names, name))?.id ?? null;
  return {
    plan,
    roadOf,
    certificateFor,
    askedFor: remembering((line) => {
      const host = hostOfHeader(line);
      const road = host === null ? null : roadOf(host);
      return host === null ? null : { host, road: road === null ? null : roadNamed(road, host), lately: null };
    }),
    shownTo: remembering((sni) => {
      const name = sni.toLowerCase().replace(/\.$/, '');
      const certificate = certificateFor(name);
      const admitted = certificate !== null && (roadOf(name) !== null || plan.front.unknown.act !== 'refuse');
      return { name, certificate, admitted };
    }),
    addressOf: remembering(parseAddress),
    asksDevices: plan.roads.some(({ gate }) => deviceCheckOf(gate) !== null),
    isInside: insideOf(),
  };
}

/** Remembers up to a thousand answers, and none to texts of a length that no honest visitor sends. */
function remembering<T>(answer: (text: string) => T): (text: string) => T {
  const known = new Map<string, T>();
  return (text) => {
    const before = known.get(text);
    if (before !== undefined) return before;
    const found = answer(text);
    if (known.size >= 1000) known.clear();
    if (text.length < 300) known.set(text, found);
    return found;
  };
}

function insideOf(): Prepared['isInside'] {
  const byNetworks = new WeakMap<object, (address: string) => boolean>();
  return (client, networks) => {
    if (!client.known) return false;
    const { address } = client;
    const known = byNetworks.get(networks);
    if (known !== undefined) return known(address);
    const asked = remembering((one) => inNetworks(one, networks.networks) && !networks.except.includes(one));
    byNetworks.set(networks, asked);
    return asked(address);
  };
}

/**
 * The one meaning of a plan: what must happen to `request`. The builtin proxy does just this; what is written for other
 * servers is held against it by test, request by request.
 */
export function decide(prepared: Prepared, request: VerdictRequest): Verdict {
  return decideIn(contextOf(prepared, request));
}

/** The same of a request that has been read already. */
export function decideIn(context: Context): Verdict {
  for (const step of steps) {
    const taken = step.take(context);
    if (taken === null) continue;
    const verdict: Act & { because?: Reason[] } = dressed(taken.act, step.name, context);
    verdict.because = [{ step: step.name, mapLine: taken.mapLine }];
    return verdict as Verdict;
  }
  // The last step speaks for every road, and `unknown-name` for every request without one.
  throw new Error('no step decided: this is a mistake in Mile Marker');
}

/** From these steps on the road is known and speaks, and every answer carries its headers; the redirect to https has none. */
const firstOfRoad = { https: 'misdirected', http: 'paused' } as const;

function dressed(act: Act, step: StepName, { road, request }: Context): Act {
  if (road === null || (act.act !== 'answer' && act.act !== 'folder') || isBefore(step, firstOfRoad[request.listener]))
    return act;
  return { ...act, headers: ownHeaders(answerRules(road, request), act.headers) };
}
