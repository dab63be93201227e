import type { Check, CheckKind, Checks, GatePart } from './check.ts';
import type { GateFacts, GateKind, Refusal } from './kind.ts';
import { networks } from './networks.ts';
import { people } from './people.ts';

/** Every kind of check, in the order in which a gate asks: what costs nothing first, and nobody is asked for a password who could not pass with one. */
export const gateKinds = { networks, people } as const;

export const checkOrder = Object.keys(gateKinds) as CheckKind[];

/** What the map writes for each kind. */
export type WrittenChecks = {
  [K in CheckKind]?: (typeof gateKinds)[K] extends GateKind<Checks[K], infer Written> ? Written | undefined : never;
};

/** The kind of a check, seen as one of all: it is only given checks of its own. */
export function kindOf(check: Check): GateKind<Check, unknown> {
  return gateKinds[check.kind] as unknown as GateKind<Check, unknown>;
}

/** What a table of all kinds has for one check: it is only given checks of its own kind. */
export function linesOf<Way>(
  table: { [K in CheckKind]: (check: Checks[K], way: Way) => string[] },
  check: Check,
  way: Way,
): string[] {
  return (table[check.kind] as (check: Check, way: Way) => string[])(check, way);
}

/** The checks that a gate of the map asks for, in their order; paths are relative to the map. */
export function readChecks(written: WrittenChecks): Check[] {
  return checkOrder.flatMap((kind) => {
    const value = written[kind];
    return value === undefined ? [] : [(gateKinds[kind] as unknown as GateKind<Check, unknown>).read(value)];
  });
}

/** What the checks of one part make of a request. @property passed those that let it pass, as far as they were asked */
export interface Judged {
  passed: Check[];
  refusal: Refusal | null;
}

/**
 * Asks one check after the other. With `need: all` the first that does not let pass refuses; with `any` the first that does is enough, and where none does, the
 * last one refuses: it is the one that a visitor can do something about.
 */
export function judge({ checks, need }: Pick<GatePart, 'checks' | 'need'>, facts: GateFacts): Judged {
  const passed: Check[] = [];
  let refusal: Refusal | null = null;
  for (const check of checks) {
    const kind = kindOf(check);
    if (kind.passes(check, facts)) {
      passed.push(check);
      if (need === 'any') return { passed, refusal: null };
    } else {
      refusal = kind.refusal(check, facts);
      if (need === 'all') return { passed, refusal };
    }
  }
  return { passed, refusal };
}

/** What a part lets in, in words for people: "networks or a password". */
export function nounsOf({ checks, need }: GatePart): string {
  return checks.map((check) => kindOf(check).noun).join(need === 'any' ? ' or ' : ' and ');
}
