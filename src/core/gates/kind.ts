import type * as z from 'zod';
import type { NetworkSet } from '../networks/home.ts';
import type { Client } from '../verdict/client.ts';
import type { Check } from './check.ts';

/**
 * What is known of a request when a gate judges it.
 *
 * @property person `none` without a password, `wrong` with one that fits nobody
 * @property knownIn password files that this person is in; absent where every file knows them
 */
export interface GateFacts {
  client: Client;
  person: string;
  knownIn?: readonly string[] | undefined;
  isInside: (client: Client, networks: NetworkSet) => boolean;
}

/** Why a check does not let somebody pass. @property status what the front answers @property words for `explain` */
export interface Refusal {
  status: 401 | 403;
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
  /** As the map means it. */
  read: (written: Written) => C;
  /** As a plan has it, with absolute paths. */
  place: (check: C, map: { mapFolder: string }) => C;
  passes: (check: C, facts: GateFacts) => boolean;
  /** Of somebody whom it lets pass, for `explain`. */
  passedWords: (check: C, facts: GateFacts) => string;
  /** Of somebody whom it does not let pass. */
  refusal: (check: C, facts: GateFacts) => Refusal;
  /** Whether whoever passes `own` passes `other`. What cannot be seen is no. */
  implies: (own: C, other: C) => boolean;
}

/** The visitor, as `explain` names him. */
export function who({ client }: GateFacts): string {
  return client.known ? client.address : 'an unknown visitor';
}
