import { asksFor, checkOf, type AsksCheck, type GatePart, type PlannedGate } from '../gates/check.ts';
import { noDevice, type GateFacts, type Refusal, type ShownDevice } from '../gates/kind.ts';
import { judge, type Judged } from '../gates/kinds.ts';
import type { Client } from '../networks/client.ts';
import { isBelow } from './target.ts';
import type { Prepared, VerdictRequest } from './verdict.ts';

interface GateInput {
  client: Client;
  target: string;
  request: Pick<VerdictRequest, 'listener' | 'person' | 'device' | 'knownIn' | 'words'>;
  prepared: Pick<Prepared, 'isInside'>;
}

/** What one part of a gate makes of a request. @property excepted the prefix that lets it pass ungated; null where none does */
export interface PartOutcome extends Judged {
  part: GatePart;
  excepted: string | null;
}

/** What each part says, up to the first that refuses. A gate without parts lets everyone pass, and nothing is said. */
export function passGate({ parts }: PlannedGate, input: GateInput): PartOutcome[] {
  const outcomes: PartOutcome[] = [];
  for (const part of parts) {
    const outcome = passPart(part, input);
    outcomes.push(outcome);
    if (outcome.refusal !== null || outcome.open !== null) break;
  }
  return outcomes;
}

/** The part that does not let pass, or null: the same without the words for those that do, of which every request has some. */
export function stopOf({ parts }: PlannedGate, input: GateInput): Stop | null {
  for (const part of parts) {
    const { refusal, open } = passPart(part, input);
    if (refusal !== null) return { part, refusal };
    if (open !== null) return { part, open };
  }
  return null;
}

/** A part of a gate at which a request ends, or waits for the word of a service. */
export type Stop = { part: GatePart } & ({ refusal: Refusal } | { open: AsksCheck });

/** One part: its checks in their order, unless the path is excepted. */
function passPart(part: GatePart, { client, target, request, prepared }: GateInput): PartOutcome {
  const excepted = part.except.find((prefix) => isBelow(target, prefix)) ?? null;
  if (excepted !== null) return { part, excepted, passed: [], refusal: null, open: null };
  return { part, excepted, ...judge(part, factsOf({ client, request, prepared })) };
}

/** What a request's handshake shows of a device: on plain HTTP there is none. */
export function deviceOf({ listener, device = noDevice }: Pick<VerdictRequest, 'listener' | 'device'>): ShownDevice {
  return listener === 'http' ? noDevice : device;
}

/** What is known of a request at a gate. */
export function factsOf({ client, request, prepared }: Omit<GateInput, 'target'>): GateFacts {
  const { person, knownIn, words } = request;
  return { client, person, device: deviceOf(request), knownIn, words, isInside: prepared.isInside };
}

/** Whether a gate asks this request for a password at all. */
export function asksPeople({ parts }: PlannedGate, target: string): boolean {
  return parts.some(
    (part) => checkOf(part, 'people') !== null && !part.except.some((prefix) => isBelow(target, prefix)),
  );
}

/**
 * Whether a gate has people at all: then a password is the front's on every path of the road, excepted ones too. A browser sends it to them
 * all (RFC 7617 §2.2).
 */
export function hasPeople(gate: PlannedGate): boolean {
  return asksFor(gate, 'people');
}
