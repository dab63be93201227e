import { alteredFiles, readCurrent, readLink, readState } from '../../adapters/files/editions.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { judgeInstalled } from '../../core/live/installed.ts';
import type { Site } from '../map/load.ts';
import { runnerOf, type World } from './front-moves.ts';
import { entryOf, needsOf } from './needs.ts';
import { placeOf, whatRuns } from './what-runs.ts';
import { writeFiles } from './write.ts';

/** Holds the four things against each other that can differ: what the map says, what was written, what is read at the next start, and what runs. */
export async function judgeInstalledFront(site: Site, world: World): Promise<Finding[]> {
  const { folder } = placeOf(site);
  const edition = await readCurrent(folder).catch(() => null);
  const { said, live, foreign } = await whatRuns(site, world);
  const altered = edition === null ? { changed: [], missing: [] } : alteredFiles(edition);
  const isAltered = altered.changed.length + altered.missing.length > 0;
  const { installed } = await runnerOf(placeOf(site), world.env).catch(() => ({ installed: null }));
  return judgeInstalled({
    plan: site.plan,
    // What was changed by hand is told as that.
    wanted: edition === null || isAltered ? null : await isAhead(site, world),
    current: edition === null ? null : { number: edition.number, digest: edition.digest, ...altered },
    live: live?.edition ?? null,
    reads: await readsOurs(site, world.env),
    isMissing: edition === null && (await readLink(folder)) !== null,
    entry: entryOf(placeOf(site)),
    runs: said,
    isKnown: foreign === null,
    isBehind: (await installed?.isBehind?.()) ?? false,
  });
}

async function isAhead(site: Site, { now }: World): Promise<boolean | null> {
  if (site.engineTrouble !== null) return null;
  const { changes } = await writeFiles({ site, out: undefined, cwd: '/', now: now(), dry: true });
  return changes.length > 0;
}

/**
 * Whether the server of the map reads the written files at its next start; null where it does not let that be known, and where `install` brought nothing live:
 * whoever runs a front of their own has it read what they say.
 */
export async function readsOurs(site: Site, env: World['env']): Promise<boolean | null> {
  if ((await readState(site.paths.front)).live === null) return null;
  try {
    const { program, installed } = await runnerOf(placeOf(site), env);
    const place = await installed.placeFor(program, entryOf(placeOf(site)), needsOf(site));
    if (place.how === 'read') return true;
    if (place.how === 'barred') return place.isRead ? true : null;
    return place.how === 'file' || place.how === 'by-hand' ? false : null;
  } catch (error) {
    if (error instanceof Trouble) return null;
    throw error;
  }
}
