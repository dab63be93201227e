import * as z from 'zod';
import type { PlannedRoad } from '../plan/plan.ts';

/** One line of the journal of what is open and what is paused: from `at` on a road was so; both false when it is neither, or gone. */
export const sinceEntry = z.object({ at: z.string(), name: z.string(), open: z.boolean(), paused: z.boolean() });
type SinceEntry = z.infer<typeof sinceEntry>;

/** Since when a road is open to everyone, and since when it is paused, in milliseconds since the epoch; null when it is not. */
export interface Since {
  open: number | null;
  paused: number | null;
}

/** Whether everyone may pass. */
export function isOpen({ gate, paused }: Pick<PlannedRoad, 'gate' | 'paused'>): boolean {
  return gate.parts.length === 0 && !paused;
}

/** What must be added to the journal when these roads go live. */
export function sinceChanges(
  before: readonly SinceEntry[],
  roads: ReadonlyArray<Pick<PlannedRoad, 'name' | 'gate' | 'paused'>>,
  at: string,
): SinceEntry[] {
  const last = new Map(before.map((entry) => [entry.name, entry]));
  const now = roads.map((road) => ({ at, name: road.name, open: isOpen(road), paused: road.paused }));
  const gone = [...last.keys()].filter((name) => !roads.some((road) => road.name === name));
  return [...now, ...gone.map((name) => ({ at, name, open: false, paused: false }))].filter(
    ({ name, open, paused }) => {
      const known = last.get(name) ?? { open: false, paused: false };
      return known.open !== open || known.paused !== paused;
    },
  );
}

/** Since when each road is as it is. */
export function sinceWhen(entries: readonly SinceEntry[]): Map<string, Since> {
  const known = new Map<string, Since>();
  for (const { at, name, open, paused } of entries) {
    const { open: openSince = null, paused: pausedSince = null } = known.get(name) ?? {};
    const time = Date.parse(at);
    known.set(name, { open: open ? (openSince ?? time) : null, paused: paused ? (pausedSince ?? time) : null });
  }
  return known;
}
