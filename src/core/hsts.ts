import * as z from 'zod';

/** One line of the journal of what was sent: from `at` on a road's answers carried this max-age, in seconds; null sends none. */
export const hstsEntry = z.object({ at: z.string(), name: z.string(), maxAge: z.number().nullable() });
export type HstsEntry = z.infer<typeof hstsEntry>;

/** What must be added to the journal when these roads go live: every change, and every first header. */
export function hstsChanges(
  before: readonly HstsEntry[],
  roads: ReadonlyArray<{ name: string; maxAge: number | null }>,
  at: string,
): HstsEntry[] {
  const last = new Map(before.map(({ name, maxAge }) => [name, maxAge]));
  const gone = [...last].filter(([name, maxAge]) => maxAge !== null && !roads.some((road) => road.name === name));
  return [
    ...roads.filter(({ name, maxAge }) => (last.get(name) ?? null) !== maxAge).map((road) => ({ at, ...road })),
    ...gone.map(([name]) => ({ at, name, maxAge: null })),
  ];
}

/**
 * Until when a browser may remember each name, in milliseconds since the epoch: the longest of all that was sent, each counted from the
 * last moment at which it was. Only max-age=0 ends it earlier, for those who came again; so nothing here does.
 */
export function rememberedUntil(entries: readonly HstsEntry[], now: number): Map<string, number> {
  const until = new Map<string, number>();
  for (const [index, { name, maxAge }] of entries.entries()) {
    if (maxAge === null || maxAge === 0) continue;
    const next = entries.slice(index + 1).find((later) => later.name === name);
    const last = next === undefined ? now : Date.parse(next.at);
    until.set(name, Math.max(until.get(name) ?? 0, last + maxAge * 1000));
  }
  return until;
}
