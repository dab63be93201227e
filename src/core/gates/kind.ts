import type * as z from 'zod';
import type { NetworkSet } from '../networks/home.ts';
import type { Upstream } from '../plan/upstream.ts';
import type { Client } from '../networks/client.ts';
import type { Check, PlannedGate } from './check.ts';

/**
 * What is known of a request when a gate judges it.
 *
 * @property person `none` without a password, `wrong` with one that fits nobody
 * @property device what the handshake shows of the visitor's device
 * @property knownIn password files that this person is in; absent where every file knows them
 * @property words what services have said of the request; absent where none was asked
 */
export interface GateFacts {
  client: Client;
  person: string;
  device: ShownDevice;
  knownIn?: readonly string[] | undefined;
  isInside: (client: Client, networks: NetworkSet) => boolean;
  words?: ServiceWords | undefined;
}

/** Why a device is not known. `foreign` also where nobody can tell. */
export type DeviceState = 'none' | 'removed' | 'ended' | 'foreign';

/** What a handshake shows of a device. @property name common name of its certificate */
export type ShownDevice = { state: 'good'; name: string } | { state: DeviceState };

export const noDevice: ShownDevice = { state: 'none' };

/** What services have said of this very request, by what the map writes of them. One that is not there has not been asked yet. */
export type ServiceWords = Readonly<Record<string, ServiceWord>>;

/**
 * What a service says of a request. @property status 0 where nothing came in time
 * @property location where it sends the visitor @property told values of the headers that it tells, in lower case
 */
export interface ServiceWord {
  status: number;
  location?: string | undefined;
  told: Readonly<Record<string, string>>;
}

/** The same word of every service that a gate asks. */
export function wordsAt({ parts }: PlannedGate, word: ServiceWord): ServiceWords {
  const asked = parts.flatMap(({ checks }) => checks.flatMap((check) => (check.kind === 'asks' ? [check.said] : [])));
  return Object.fromEntries(asked.map((said) => [said, word]));
}

/**
 * Why a check does not let somebody pass.
 *
 * @property answers the status, by the front itself; of `relays` with what the service said
 * @property words for `explain`
 */
export interface Refusal {
  answers:
    | { by: 'password'; status: 401 }
    | { by: 'front'; status: 403 | 503 }
    | { by: 'service'; said: string; word: ServiceWord };
  words: string;
}

/**
 * One kind of check: all that the rest of the program needs to know of it. Renderers have a table of their own with the lines of each kind.
 *
 * @property kind also its key in a gate of the map
 * @property schema of what the map writes there
 * @property noun what lets somebody pass, such as "a password"
 * @property onPorts whether a raw port can ask for it, where there is nothing but a connection
 */
export interface GateKind<C extends Check, Written> {
  kind: C['kind'];
  schema: z.ZodType<Written>;
  noun: string;
  onPorts: boolean;
  /** As the map means it. @param besides the other keys of the gate */
  read: (written: Written, besides: { tell?: readonly string[] | undefined }) => C;
  /** As a plan has it: with absolute paths, and where services are. */
  place: (check: C, map: PlaceOf) => C;
  /** Whether it lets somebody pass; undefined while a service has not been asked. */
  passes: (check: C, facts: GateFacts) => boolean | undefined;
  /** Of somebody whom it lets pass, for `explain`. */
  passedWords: (check: C, facts: GateFacts) => string;
  /** Of somebody whom it does not let pass. */
  refusal: (check: C, facts: GateFacts) => Refusal;
  /** Whether whoever passes `own` passes `other`. What cannot be seen is no. */
  implies: (own: C, other: C) => boolean;
}

/** What a check needs to be placed. @property dialled where a service is dialled; null where that is not known */
interface PlaceOf {
  mapFolder: string;
  dialled: (to: string) => Upstream | null;
}

/** The visitor, as `explain` names him. */
export function who({ client }: GateFacts): string {
  return client.known ? client.address : 'an unknown visitor';
}
