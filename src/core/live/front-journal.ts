import * as z from 'zod';
import { proxyNames } from '../proxies/names.ts';

const at = z.string();
const edition = z.number();

/**
 * One line of the front's journal; `at` is ISO 8601. An edition is prepared (written whole), switched to (`current` leads to it), reloaded (the proxy
 * was told) and confirmed (its mark was seen and the roads tested). `installing` begins what `confirmed`, `returned` or `refused` ends.
 *
 * Fields: `from` and `to` are editions, null where there is no front of ours. `include` is the file that was made so that the proxy reads ours; null
 * when it did already. `proxy`, `mark`, `map` and `container` say whom to ask when this was cut short. `tested` says whether the roads were tested.
 * `replaced`: files of others in which something was switched off, where the file as it was is kept, and where its link led when it was one.
 */
export const frontEntry = z.discriminatedUnion('event', [
  z.object({ event: z.literal('prepared'), at, edition, digest: z.string() }),
  z.object({ event: z.literal('switched'), at, edition, digest: z.string() }),
  z.object({
    event: z.literal('installing'),
    at,
    from: edition.nullable(),
    to: edition.nullable(),
    include: z.string().nullable(),
    proxy: z.enum(proxyNames),
    mark: z.object({ address: z.string(), port: z.number() }),
    map: z.string().optional(),
    container: z
      .object({ name: z.string(), engine: z.string().nullable(), inCluster: z.boolean().optional() })
      .nullable()
      .optional(),
    replaced: z.array(z.object({ path: z.string(), kept: z.string(), link: z.string().nullable() })).optional(),
  }),
  z.object({ event: z.literal('reloaded'), at, edition }),
  z.object({ event: z.literal('confirmed'), at, edition: edition.nullable(), tested: z.boolean() }),
  z.object({ event: z.literal('returned'), at, from: edition.nullable(), to: edition.nullable(), why: z.string() }),
  z.object({ event: z.literal('refused'), at, edition, why: z.string() }),
]);
export type FrontEntry = z.infer<typeof frontEntry>;
export type Begun = Extract<FrontEntry, { event: 'installing' }>;

/** A file of somebody else in which something was switched off. */
export type Replaced = NonNullable<Begun['replaced']>[number];

/** Files that were switched off by the installations of an edition; of null by all. The oldest first. */
export function replacedBy(entries: readonly FrontEntry[], edition: number | null): Replaced[] {
  return entries.flatMap((entry) =>
    entry.event === 'installing' && (edition === null || entry.to === edition) ? (entry.replaced ?? []) : [],
  );
}

/** What was begun and not ended: a kill, a crash or a full disk came between. */
export function unfinished(entries: readonly FrontEntry[]): Begun | null {
  let begun: Begun | null = null;
  for (const entry of entries) {
    if (entry.event === 'installing') begun = entry;
    else if (['confirmed', 'returned', 'refused'].includes(entry.event)) begun = null;
  }
  return begun;
}

/** The file that has the proxy read ours, if it was made by an installation that still stands. */
export function ownInclude(entries: readonly FrontEntry[]): string | null {
  let file: string | null = null;
  for (const entry of entries) if (entry.event === 'installing' && entry.include !== null) file = entry.include;
  return file;
}

/**
 * The edition that counted before the given one: the newest that was confirmed, and not taken back since.
 *
 * @returns null when there is none, so that going back means that the front goes
 */
export function editionBefore(entries: readonly FrontEntry[], now: number | null): number | null {
  const stood: number[] = [];
  for (const entry of entries) {
    if (entry.event === 'confirmed' && entry.edition !== null) stood.push(entry.edition);
    else if (entry.event === 'returned' && entry.from !== null) remove(stood, entry.from);
  }
  return stood.filter((one) => one !== now).pop() ?? null;
}

/** The edition that an installation last brought live, as far as it was ended; null when none stands. */
export function liveEdition(entries: readonly FrontEntry[]): number | null {
  let live: number | null = null;
  for (const entry of entries) {
    if (entry.event === 'confirmed') live = entry.edition;
    else if (entry.event === 'returned') live = entry.to;
  }
  return live;
}

function remove(from: number[], one: number): void {
  for (let index = from.indexOf(one); index >= 0; index = from.indexOf(one)) from.splice(index, 1);
}

export type Outcome = 'written' | 'live' | 'confirmed' | 'not-tested' | 'returned' | 'refused' | 'unfinished';

/** What became of an edition, and why where there is a reason. @property at of the last that happened to it */
export interface Became {
  outcome: Outcome;
  at: string | null;
  why: string | null;
}

/** @param current the edition that `current` leads to */
export function becameOf(entries: readonly FrontEntry[], edition: number, current: number | null): Became {
  let became: Became = { outcome: 'written', at: null, why: null };
  for (const entry of entries) {
    const { at: time } = entry;
    if (entry.event === 'installing' && entry.to === edition) became = { outcome: 'unfinished', at: time, why: null };
    else if (entry.event === 'confirmed' && entry.edition === edition)
      became = { outcome: entry.tested ? 'confirmed' : 'not-tested', at: time, why: null };
    else if (entry.event === 'returned' && entry.from === edition)
      became = { outcome: 'returned', at: time, why: entry.why };
    else if (entry.event === 'returned' && entry.to === edition) became = { outcome: 'confirmed', at: time, why: null };
    else if (entry.event === 'refused' && entry.edition === edition)
      became = { outcome: 'refused', at: time, why: entry.why };
    else if ('edition' in entry && entry.edition === edition && became.at === null) became = { ...became, at: time };
  }
  return edition === current && became.outcome === 'confirmed' ? { ...became, outcome: 'live' } : became;
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
    editionBefore(entries, current),
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
    const next = entry.event === 'confirmed' ? entry.edition : entry.event === 'returned' ? entry.to : undefined;
    if (next === undefined) continue;
    const time = Date.parse(entry.at);
    close(time);
    live = next === null ? null : { edition: next, since: time };
  }
  close(end);
  return lived;
}

/** A front that is followed may change a thousand times a day; what is older than so many entries says nothing about the editions that are kept. */
const most = 2000;
const left = 1000;

/**
 * The same journal, shorter once it is long. What an installation changed in files of others stays, however old: `undo front` puts it back.
 *
 * @returns null when it is short enough
 */
export function shortened(entries: readonly FrontEntry[]): FrontEntry[] | null {
  if (entries.length <= most || unfinished(entries) !== null) return null;
  const old = entries.slice(0, -left);
  const kept = old.filter(
    (entry) => entry.event === 'installing' && (entry.include !== null || (entry.replaced ?? []).length > 0),
  );
  // Each was ended; without its end it would look cut short.
  const ended = kept.flatMap((entry): FrontEntry[] =>
    entry.event === 'installing' ? [entry, { event: 'confirmed', at: entry.at, edition: entry.to, tested: false }] : [],
  );
  return [...ended, ...entries.slice(-left)];
}
