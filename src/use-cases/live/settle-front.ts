import { noteFront, readEdition, readFrontJournal } from '../../adapters/files/editions.ts';
import { reasonOf } from '../../adapters/trouble.ts';
import { unfinished } from '../../core/live/front-journal.ts';
import { goBack, liveWords, runningEdition, type World } from './front-moves.ts';

/** @property live what the front serves now @property says for a person, a whole sentence or two */
interface Settled {
  live: number | null;
  says: string;
}

export async function isCutShort(folder: string): Promise<boolean> {
  return unfinished(await readFrontJournal(folder).catch(() => [])) !== null;
}

/**
 * Ends what an installation left when it was cut short, by what the front says it runs: when that is the new edition, it stays; else the one before
 * comes back. Null when there is nothing to do.
 */
export async function settleFront(folder: string, world: World): Promise<Settled | null> {
  const begun = unfinished(await readFrontJournal(folder).catch(() => []));
  if (begun === null) return null;
  const { from, to, proxy, mark, map = '', container = null } = begun;
  const place = { folder, proxy, mark, map, container };
  const running = await runningEdition(place, world);
  const cut = `An earlier installation of ${liveWords(to)} was cut short.`;
  if (to !== null && running === to && (await readEdition(folder, to).catch(() => null)) !== null) {
    await noteFront(folder, { event: 'confirmed', at: world.now().toISOString(), edition: to, tested: false });
    return { live: to, says: `${cut} The front had taken it up already, so it stays. It was not tested.` };
  }
  const problem = await goBack(place, begun, 'cut short', world).catch((error: unknown) => reasonOf(error));
  if (problem === null) return { live: from, says: `${cut} Live again: ${liveWords(from)}.` };
  return {
    live: running,
    says: `${cut} Going back did not work: ${problem.replace(/\.$/, '')}. The next command tries it again.`,
  };
}
