import { durationText } from '../../../core/map/units.ts';
import { setTimeout as delay } from 'node:timers/promises';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { changesSince, entryOf, type VerifyEntry } from '../../../core/legs/journal.ts';
import { loadSite, type Site } from '../../../use-cases/map/load.ts';
import type { CommandContext } from '../../io.ts';
import type { VerifyOptions } from './verify-options.ts';
import type { Io } from '../../io.ts';
import { formatVerify } from '../../print/verify.ts';
import { documentOf, testRoads, notify, printing, writeJunit } from './verify-run.ts';
import { changeLines, isNews, noteRun, type Changes } from './verify-changes.ts';
import { showRun } from './verify-shows.ts';

/** Of runs that bring no news one an hour is kept: a strip of runs then shows days, not minutes. */
const keptEvery = 3_600_000;

/** Tests again and again: shows the first run in full, then what changes, until somebody stops it. */
export async function watch(
  first: Site,
  names: string[],
  options: VerifyOptions & { watch: number },
  { io, setCode }: CommandContext,
): Promise<void> {
  setCode(exit.interrupted);
  let before: VerifyEntry | null = null;
  let notedAt = 0;
  let site = first;
  const readAgain = mapReader(options, io);
  for (;;) {
    const result = await testRoads(site, names, options, io);
    if (io.signal.aborted) return;
    const entry = entryOf(result.findings, result.roads, io.now().toISOString());
    const changes: Changes | null = before === null ? null : { last: before.at, ...changesSince(before, entry) };
    const document = documentOf(site, result, changes);
    await writeJunit(options, result, io);
    const isDue = Date.parse(entry.at) - notedAt >= keptEvery;
    if (isDue || isNews(changes)) {
      await noteRun(site, names, options, result, io);
      notedAt = Date.parse(entry.at);
    }
    await showRun(site, options, result, { io, every: options.watch });
    if (before === null || isNews(changes)) {
      if (options.json === true) io.out(document);
      else if (changes === null) io.out(formatVerify(result, site.plan, printing(options, io)));
      else io.out(`${entry.at.slice(0, 19).replace('T', ' ')} UTC\n${changeLines(changes, io.width)}`);
      if (before !== null) await notify(options, document);
    }
    if (before === null) io.err(`Testing again every ${durationText(options.watch)}. Ctrl-C stops.\n`);
    before = entry;
    await delay(options.watch, undefined, { signal: io.signal }).catch(() => undefined);
    if (io.signal.aborted) return;
    site = await readAgain(site);
  }
}

/** Containers move and maps are edited while one watches. A map that cannot be read just now is told once; the earlier one goes on. */
function mapReader({ map }: VerifyOptions, io: Io): (site: Site) => Promise<Site> {
  let isTold = false;
  return async (site) => {
    const found = await loadSite(map, io).catch((error: unknown) => {
      // An editor may just be replacing the file.
      if (error instanceof Trouble) return null;
      throw error;
    });
    if (found !== null && found.map !== null) {
      isTold = false;
      return found;
    }
    if (!isTold) io.err('The map cannot be read now. Testing goes on with the earlier map. See: mile-marker check\n');
    isTold = true;
    return site;
  };
}
