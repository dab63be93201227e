import type { AsksCheck, Check, CheckKind, Checks, GatePart } from './check.ts';
import type { GateFacts, GateKind, Refusal } from './kind.ts';
import { asks } from './asks.ts';
import { devices } from './devices.ts';
import { networks } from './networks.ts';
import { people } from './people.ts';

/** Every kind of check, in the order in which a gate asks: what costs nothing first, and nobody is asked for a password who could not pass with one. */
export const gateKinds = { networks, devices, people, asks } as const;

export const checkOrder = Object.keys(gateKinds) as CheckKind[];

/** What the map writes for each kind. */
type WrittenChecks = {
  [K in CheckKind]?: (typeof gateKinds)[K] extends GateKind<Checks[K], infer Written> ? Written | undefined : never;
};

/** The kind of a check, seen as one of all: it is only given checks of its own. */
export function kindOf(check: Check): GateKind<Check, unknown> {
  return gateKinds[check.kind] as unknown as GateKind<Check, unknown>;
}

/** What a server is told for each kind of check; null for one that it cannot do. */
export type CheckTable<Way> = { [K in CheckKind]: ((check: Checks[K], way: Way) => string[]) | null };

/** What a table has for one check, which is only given checks of its own kind. @param cannot for what the server cannot do: `check` says so before anything is written */
export function linesOf<Way>(table: CheckTable<Way>, check: Check, way: Way, cannot: string[] = []): string[] {
  const lines = table[check.kind] as ((check: Check, way: Way) => string[]) | null;
  return lines === null ? cannot : lines(check, way);
}

/** The kinds that a server can do. */
export function doable(table: Readonly<Record<CheckKind, unknown>>): CheckKind[] {
  return checkOrder.filter((kind) => table[kind] !== null);
}

/** The checks that a gate of the map asks for, in their order; paths are relative to the map. */
export function readChecks({ tell, ...written }: WrittenChecks & { tell?: string[] | undefined }): Check[] {
  return checkOrder.flatMap((kind) => {
    const value = written[kind];
    return value === undefined ? [] : [(gateKinds[kind] as unknown as GateKind<Check, unknown>).read(value, { tell })];
  });
}

/**
 * What the checks of one part make of a request.
 *
 * @property passed those that let it pass, as far as they were asked @property open the service that must be asked before anything can be said
 */
export interface Judged {
  passed: Check[];
  refusal: Refusal | null;
  open: AsksCheck | null;
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
    const passes = kind.passes(check, facts);
    if (passes === undefined && check.kind === 'asks') return { passed, refusal: null, open: check };
    if (passes === true) {
      passed.push(check);
      if (need === 'any') return { passed, refusal: null, open: null };
    } else {
      refusal = kind.refusal(check, facts);
      if (need === 'all') return { passed, refusal, open: null };
    }
  }
  return { passed, refusal, open: null };
}

/** What a part lets in, in words for people: "networks or a password". */
export function nounsOf({ checks, need }: GatePart): string {
  return checks.map((check) => kindOf(check).noun).join(need === 'any' ? ' or ' : ' and ');
}
