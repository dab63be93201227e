import { card } from '../../findings/card.ts';
import { withPort } from '../../networks/address.ts';
import { partName } from '../../plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { bad, untested, type LegResult } from '../leg.ts';
import { isFailing, isTooOften, varies, type Sample, type Turns } from './turns.ts';

const words = card({
  id: 'answers-vary',
  severity: 'error',
  summary: 'The same request gets one answer now and another one a moment later.',
  why: 'Some visitors get a page and others do not, and a second try often works. Findings that rest on comparing answers were left out.',
  source: 'RFC 9110 §15.6 (server errors)',
  explains: [
    'websocket-not-passed',
    'hsts-not-sent',
    'method-not-refused',
    'rate-not-kept',
    'upload-limit',
    'redirect-loop',
    'front-alters-answer',
  ],
  messages: {
    service: {
      message:
        '{names}: {rate} ({samples}). The service on {upstream} does the same when it is asked directly ({direct}).',
      remedy: 'Read the log of the service. If several copies of it run, look for one that is down or too busy.',
    },
    alone: {
      message: '{names}: of the service on {upstream}, asked directly, {rate} ({samples}).',
      remedy: 'Read the log of the service. If several copies of it run, look for one that is down or too busy.',
    },
    copy: {
      message: '{names}: {rate} ({samples}). Of the copies of its service {copies}.',
      remedy: 'Read the log of that copy and restart it.',
    },
    front: {
      message: '{names}: through the front {rate} ({samples}). Asked directly, {upstream} answers {direct}.{log}',
      remedy:
        'If the front passes on to several copies of the service, one of them is down: its error log says which. If it passes on to one alone, make the map live: {live}',
    },
    unseen: {
      message: '{names}: {rate} ({samples}). The service itself cannot be asked from here.',
      remedy: 'Run this on the machine that runs the services: mile-marker verify',
    },
    changes: {
      message:
        '{names}: the same request gets different answers ({samples}). Asked directly, {upstream} answers {direct}.',
      remedy:
        'If several copies of the service run, they differ. Find the one that differs, or let the road lead to one copy only.',
    },
  },
});

export const varyingCards = [words];

/**
 * What is known of a service that was asked through the front (`a`) and directly (`b`) by turns.
 *
 * @property copies what each of several known copies answered, by its address
 * @property log the end of a sentence about the front's log; empty when that says nothing
 */
interface VaryingInput {
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
  turns: Turns;
  copies: ReadonlyArray<{ at: string; sample: Sample }>;
  log: string;
}

/** What varies by itself, with its rate; null when neither side varies. Whoever was asked too often is not judged. */
export function judgeVarying({ road, part, upstream, turns, copies, log }: VaryingInput): LegResult | null {
  const { a, b } = turns;
  if (!varies(a) && !varies(b)) return null;
  if (isTooOften(a) || isTooOften(b)) return untested('service', 'asked-too-often');
  const failed = a.filter(isFailing).length;
  const failedDirectly = b.filter(isFailing).length;
  const known = b.filter((one) => one !== 'unreachable');
  const deadCopies = copies.filter(({ sample }) => isFailing(sample));
  const fails = failed > 0 || failedDirectly > 0;
  const hasFront = a.length > 0;
  const isCopies = deadCopies.length > 0 && deadCopies.length < copies.length;
  const blamed = failedDirectly > 0 ? 'service' : 'front';
  const say = !fails ? 'changes' : !hasFront ? 'alone' : isCopies ? 'copy' : known.length === 0 ? 'unseen' : blamed;
  // Where the front happened to have luck, the rate is that of the service.
  const isOfFront = hasFront && (failed > 0 || failedDirectly === 0);
  const told = isOfFront ? a : b;
  const some = isOfFront ? failed : failedDirectly;
  const data = {
    rate: rateOf(some, told.length),
    samples: inWords(told),
    direct: inWords(known.length === 0 ? b : known, true),
    upstream: withPort(upstream.host, upstream.port),
    copies: deadCopies.map(({ at, sample }) => `${at} answers ${oneInWords(sample)}`).join(' and '),
    log,
    failed: some,
    asked: told.length,
  };
  const problem = {
    card: words,
    say,
    data,
    cause: `varies:${partName(road.name, part.prefix)}`,
    severity: fails ? ('error' as const) : ('warning' as const),
  };
  return bad('service', 'varies', problem, `${String(some)} of ${String(told.length)}`);
}

/** `one in three requests fails` where that is just so, else `4 of 7 requests fail`. */
function rateOf(some: number, of: number): string {
  const small = ['', '', 'two', 'three', 'four', 'five', 'six'];
  if (some > 0 && of % some === 0 && of / some >= 2 && of / some <= 6)
    return `one in ${small[of / some] ?? ''} requests fails`;
  return `${String(some)} of ${String(of)} requests fail`;
}

/** More of them say nothing more. */
const mostTold = 7;

/** @param isBrief all alike are told once */
function inWords(samples: readonly Sample[], isBrief = false): string {
  const [first] = samples;
  if (isBrief && first !== undefined && !varies(samples)) return `${oneInWords(first)} each time`;
  const told = samples.slice(0, mostTold).map(oneInWords).join(', ');
  return samples.length > mostTold ? `${told}, …` : told;
}

const whyNone: Record<Exclude<Sample, number>, string> = {
  refused: 'refused',
  silent: 'nothing in time',
  closed: 'closed',
  cut: 'cut off',
  broken: 'broken',
  unreachable: 'not reached',
};

function oneInWords(sample: Sample): string {
  return typeof sample === 'number' ? String(sample) : whyNone[sample];
}
