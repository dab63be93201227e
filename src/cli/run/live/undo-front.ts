import { readFrontJournal, readLink } from '../../../adapters/files/editions.ts';
import { standingBefore } from '../../../core/live/state.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { liveWords } from '../../../use-cases/live/front-moves.ts';
import { undoFront } from '../../../use-cases/live/undo-front.ts';
import { whatRuns, type Truth } from '../../../use-cases/live/what-runs.ts';
import type { CommandContext } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { agreed } from './install-front.ts';

export interface UndoFrontOptions extends OpenOptions {
  yes?: boolean;
}

/** Takes the front back to the previous edition, or to a named one, with everything that lay on the disk for it. */
export async function runUndoFront(
  edition: number | null,
  options: UndoFrontOptions,
  context: CommandContext,
): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'undo');
  if (site === null) return;
  const { front } = site.paths;
  if ((await readFrontJournal(front)).every(({ event }) => event !== 'installing' && event !== 'record')) {
    io.err('`mile-marker install` has made nothing live here, so there is nothing to undo.\n');
    return;
  }
  const world = { env: io.env, now: io.now, signal: io.signal };
  const truth = await whatRuns(site, world);
  // What was only written since then is not what is undone.
  const to = edition ?? beforeOf(truth);
  const none = await nothingToDo(to, truth, front);
  if (none !== null) {
    io.err(`${none} Nothing was changed.\n`);
    return;
  }
  const question =
    to === null
      ? `There is no earlier edition. ${programOf(truth.place.proxy).title} will serve no road of this map. Continue?`
      : `Undo the front to ${liveWords(to)}?`;
  if (!(await agreed(question, options, io))) {
    io.err('Nothing was changed.\n');
    return;
  }
  const result = await undoFront({ ...world, site, to });
  io.err(`Live now: ${liveWords(result.to)}. Before: ${liveWords(result.from)}. The map is unchanged.\n`);
  for (const path of result.broughtBack) io.err(`Restored: ${path}\n`);
  for (const { path, kept } of result.left)
    io.err(`Not restored, because somebody changed it since: ${path}\n      its earlier content: ${kept}\n`);
  const again =
    result.from === null || result.to === null
      ? 'mile-marker install'
      : `mile-marker undo front ${editionNumber(result.from)}`;
  io.err(result.to === null ? `next: ${again}\n` : `next: mile-marker verify\n      to go forward again: ${again}\n`);
}

/** By the edition that runs, where the mark says another one than the journal. */
function beforeOf({ state, live }: Truth): number | null {
  return standingBefore({ ...state, live })?.edition ?? null;
}

async function nothingToDo(to: number | null, truth: Truth, folder: string): Promise<string | null> {
  const { live, said, foreign, state } = truth;
  if (to === null) {
    // After an undo the link may stay, for a server that does not start without the folder.
    const isWritten = state.stood.length > 0 && (await readLink(folder)) !== null;
    const lies = state.made.length + state.replaced.length > 0 || isWritten;
    return live === null && !lies ? 'Nothing of this map is live.' : null;
  }
  const isThere = to === live?.edition && said !== null && foreign === null && (await readLink(folder)) === to;
  return isThere ? `Edition ${editionNumber(to)} is live already.` : null;
}
