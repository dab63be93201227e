import type * as z from 'zod';

/**
 * What a rule may need to know of its road and map to be planned.
 *
 * @property name of the road @property mapFolder absolute path of the folder that the map is in
 * @property hasPeople its gate asks for passwords @property isPublic browsers in general believe its certificate
 * @property httpsPort as visitors see it @property inContainer the front runs in a container
 * @property silenceSeconds how long a service may be silent where the road does not say
 * @property plain, headers what the road says under `plain` and `response-headers`
 */
export interface RuleContext {
  name: string;
  mapFolder: string;
  hasPeople: boolean;
  isPublic: boolean;
  httpsPort: number;
  inContainer: boolean;
  silenceSeconds: number;
  plain: boolean;
  headers: ReadonlyArray<readonly [string, string]>;
}

/**
 * One key of a road that says how it is served: all that the rest of the program needs to know of it, but what servers and the verdict make of it.
 *
 * @property key as the map writes it @property schema of what it writes there, which may be left out
 * @property document its form in documents
 */
export interface RoadRule<Key extends string, Schema extends z.ZodType, Said, Planned> {
  key: Key;
  schema: Schema;
  /** As the map means it. Total: what is not sound, findings have told. */
  read: (written: z.output<Schema>) => Said;
  /** With what the map leaves open filled in. */
  plan: (said: Said, of: RuleContext) => Planned;
  document: z.ZodType<Planned>;
  /** In words of the map, to say what another plan changes; null where nothing is set, or nothing is to be said. */
  shown: (planned: Planned) => string | null;
  /** What whoever sets up the service is told of it. */
  note?: (planned: Planned) => string;
}

/** Has the types of a rule be found from what it is made of. */
export function roadRule<Key extends string, Schema extends z.ZodType, Said, Planned>(
  rule: RoadRule<Key, Schema, Said, Planned>,
): RoadRule<Key, Schema, Said, Planned> {
  return rule;
}
