import type { FrontEntry } from './entries.ts';
import { standingBefore, stateOf } from './state.ts';

export type Outcome =
  'written' | 'live' | 'silent' | 'confirmed' | 'not-tested' | 'returned' | 'refused' | 'unfinished';

/** What became of an edition, and why where there is a reason. @property at of the last that happened to it */
export interface Became {
  outcome: Outcome;
  at: string | null;
  why: string | null;
}

/** @param live the edition that is live */
export function becameOf(entries: readonly FrontEntry[], edition: number, live: number | null): Became {
  let became: Became = { outcome: 'written', at: null, why: null };
  for (const entry of entries) became = after(became, entry, edition);
  return edition === live && became.outcome === 'confirmed' ? { ...became, outcome: 'live' } : became;
}

function after(became: Became, entry: FrontEntry, edition: number): Became {
  const { at } = entry;
  const isBack = entry.event === 'returned' || entry.event === 'undone';
  if (entry.event === 'installing' && entry.to === edition) return { outcome: 'unfinished', at, why: null };
  if (isBack && entry.from === edition)
    return { outcome: 'returned', at, why: entry.event === 'undone' ? 'undone' : entry.why };
  if (isBack && entry.to === edition) return { outcome: 'confirmed', at, why: null };
  if (!('edition' in entry) || entry.edition !== edition) return became;
  if (entry.event === 'confirmed') return { outcome: entry.tested ? 'confirmed' : 'not-tested', at, why: null };
  if (entry.event === 'seen') return { outcome: 'not-tested', at, why: null };
  if (entry.event === 'refused') return { outcome: 'refused', at, why: entry.why };
  return became.at === null ? { ...became, at } : became;
}

/** So many editions are kept for having been live longest, beside the newest. */
const longestKept = 3;

/**
 * Editions that may go: neither among the newest, nor among those that were live longest, nor live, nor what `undo front` would go back to.
 *
 * @param editions all that are there, oldest first @param keep how many of the newest stay
 */
export function spareEditions(
  entries: readonly FrontEntry[],
  editions: readonly number[],
  { current, keep }: { current: number | null; keep: number },
): number[] {
  const lived = timesLive(entries);
  const longest = [...lived].sort(([, a], [, b]) => b - a).map(([one]) => one);
  const stay = new Set([
    ...editions.slice(-keep),
    ...longest.filter((one) => editions.includes(one)).slice(0, longestKept),
    current,
    standingBefore(stateOf(entries))?.edition ?? null,
  ]);
  return editions.filter((one) => !stay.has(one));
}

/** How long each edition was live, in milliseconds, up to the last thing that happened. */
function timesLive(entries: readonly FrontEntry[]): Map<number, number> {
  const lived = new Map<number, number>();
  let live: { edition: number; since: number } | null = null;
  const end = Date.parse(entries[entries.length - 1]?.at ?? '');
  const close = (time: number): void => {
    if (live !== null) lived.set(live.edition, (lived.get(live.edition) ?? 0) + time - live.since);
  };
  for (const entry of entries) {
    const next = liveAfter(entry);
    if (next === undefined) continue;
    const time = Date.parse(entry.at);
    close(time);
    live = next === null ? null : { edition: next, since: time };
  }
  close(end);
  return lived;
}

/** Undefined for what leaves it as it is. */
function liveAfter(entry: FrontEntry): number | null | undefined {
  if (entry.event === 'confirmed' || entry.event === 'seen') return entry.edition;
  return entry.event === 'returned' || entry.event === 'undone' ? entry.to : undefined;
}

/** A front that is followed may change a thousand times a day; what is older than so many entries says nothing about the editions that are kept. */
const most = 2000;
const left = 1000;

/**
 * The same journal, shorter once it is long: what is old stands in one entry, so that the same is live by it.
 *
 * @returns null when it is short enough
 */
export function shortened(entries: readonly FrontEntry[]): FrontEntry[] | null {
  if (entries.length <= most) return null;
  // Not between the beginning of a change and its end.
  for (let cut = entries.length - left; cut < entries.length; cut += 1) {
    const { begun, ...record } = stateOf(entries.slice(0, cut));
    if (begun === null) return [{ event: 'record', at: entries[cut - 1]?.at ?? '', record }, ...entries.slice(cut)];
  }
  return null;
}
