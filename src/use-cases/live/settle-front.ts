import { noteFront, readLink, readState } from '../../adapters/files/editions.ts';
import { takeBack } from './carry-out.ts';
import { changeOf, type Change } from './change.ts';
import { clearKept, isOnDisk } from './disk.ts';
import { liveWords, saidMark, type World } from './front-moves.ts';
import { runs } from './what-runs.ts';

/** @property live what is live now @property says for a person, a whole sentence or two */
interface Settled {
  live: number | null;
  says: string;
}

/** What a change that was cut short was to bring live; undefined when none was. */
export async function cutShort(folder: string): Promise<number | null | undefined> {
  return (await readState(folder).catch(() => null))?.begun?.to;
}

/**
 * Ends what a change left when it was cut short: where all of it is on the disk and the front says that it runs it, it stays; else everything is as it was
 * before it began, by the journal and not by who answers now. Null when there is nothing to do.
 *
 * @param own the map, and the folder of its editions
 */
export async function settleFront(own: { folder: string; map: string }, world: World): Promise<Settled | null> {
  const state = await readState(own.folder).catch(() => null);
  if (state === null || state.begun === null) return null;
  const change = await changeOf(state.begun, state, { ...own, current: await readLink(own.folder).catch(() => null) });
  const to = state.begun.to;
  const cut = `An earlier installation of ${liveWords(to)} was interrupted.`;
  if (await holds(change, world)) {
    const at = world.now().toISOString();
    await noteFront(own.folder, { event: 'confirmed', at, edition: to, tested: false });
    await clearKept(change.restores, own.folder);
    return { live: to, says: `${cut} The front runs it already, so it stays live. It was not tested.` };
  }
  const before = change.from?.edition ?? null;
  const { stuck, silent } = await takeBack(change, 'cut short', world);
  if (stuck !== null)
    return { live: before, says: `${cut} Going back did not work: ${stuck}. The next command tries it again.` };
  if (silent !== null)
    return {
      live: before,
      says: `${cut} All files are as before, for ${liveWords(before)}; the front does not answer: ${silent}.`,
    };
  return { live: before, says: `${cut} Everything is as before: ${liveWords(before)}.` };
}

/** Whether the change came to its end but for the journal. */
async function holds(change: Change, world: World): Promise<boolean> {
  const { to, place } = change;
  if (to === null || !(await isOnDisk(change))) return false;
  return runs({ said: await saidMark(place, world) }, to);
}
