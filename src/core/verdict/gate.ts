import type { GatePart, PlannedGate } from '../plan/plan.ts';
import type { Client } from './client.ts';
import { isBelow } from './target.ts';
import type { Prepared, VerdictRequest } from './verdict.ts';

interface GateInput {
  client: Client;
  target: string;
  request: Pick<VerdictRequest, 'person' | 'knownIn'>;
  prepared: Pick<Prepared, 'isInside'>;
}

/** Why one part of a gate lets a request pass or not. @property status null: it passes */
export interface PartOutcome {
  part: GatePart;
  why: 'excepted' | 'network' | 'network-and-person' | 'person' | 'not-from-here' | 'no-password' | 'wrong-password';
  status: 401 | 403 | null;
}

/** What each part says, up to the first that refuses. A gate without parts lets everyone pass, and nothing is said. */
export function passGate({ parts }: PlannedGate, input: GateInput): PartOutcome[] {
  const outcomes: PartOutcome[] = [];
  for (const part of parts) {
    const outcome = passPart(part, input);
    outcomes.push(outcome);
    if (outcome.status !== null) break;
  }
  return outcomes;
}

/** The part that refuses, or null: the same without the words for those that let pass, of which every request has some. */
export function refusalOf({ parts }: PlannedGate, input: GateInput): PartOutcome | null {
  for (const part of parts) {
    const outcome = passPart(part, input);
    if (outcome.status !== null) return outcome;
  }
  return null;
}

/**
 * One part: with `need: all` networks first (403, so that nobody is asked for a password who could not pass with one), then people
 * (401, RFC 9110 §15.5.2); with `need: any` 401 when neither.
 */
function passPart(part: GatePart, { client, target, request, prepared }: GateInput): PartOutcome {
  if (part.except.some((prefix) => isBelow(target, prefix))) return { part, why: 'excepted', status: null };
  const near = part.networks === null ? null : prepared.isInside(client, part.networks);
  const known = part.people === null ? null : isKnown(part.people, request);
  const stranger = request.person === 'none' ? 'no-password' : 'wrong-password';
  if (near !== null && known !== null && part.need === 'any') {
    if (near) return { part, why: 'network', status: null };
    return known ? { part, why: 'person', status: null } : { part, why: stranger, status: 401 };
  }
  if (near === false) return { part, why: 'not-from-here', status: 403 };
  if (known === false) return { part, why: stranger, status: 401 };
  if (known === null) return { part, why: 'network', status: null };
  return { part, why: near === null ? 'person' : 'network-and-person', status: null };
}

function isKnown(people: string, { person, knownIn }: GateInput['request']): boolean {
  return person !== 'none' && person !== 'wrong' && (knownIn === undefined || knownIn.includes(people));
}

/** Whether a gate asks this request for a password at all. */
export function asksPeople({ parts }: PlannedGate, target: string): boolean {
  return parts.some(({ people, except }) => people !== null && !except.some((prefix) => isBelow(target, prefix)));
}

/**
 * Whether a gate has people at all: then a password is the front's on every path of the road, excepted ones too. A browser sends it to them
 * all (RFC 7617 §2.2).
 */
export function hasPeople({ parts }: PlannedGate): boolean {
  return parts.some(({ people }) => people !== null);
}
