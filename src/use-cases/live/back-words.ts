import { Trouble } from '../../adapters/trouble.ts';
import { keptPath } from '../../adapters/files/kept-files.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Back } from './carry-out.ts';
import type { Change } from './change.ts';
import { liveWords } from './front-moves.ts';

interface BackInput {
  change: Change;
  why: string;
  back: Back;
}

/** A change that was taken back, and what is live now. */
export function backWords({ change, why, back }: BackInput): Trouble {
  const { from, to, left, place, was } = change;
  const { stuck, silent } = back;
  const code = 'install-went-back';
  const kept = back.left.map(
    (one) =>
      ` ${one.path} was changed meanwhile and was not restored. Its earlier content: ${keptPath(place.folder, one.kept)}.`,
  );
  const more = kept.join('');
  if (stuck !== null)
    return new Trouble({
      code,
      message: `${why}. Going back from ${liveWords(to?.number ?? null)} did not work either: ${stuck}.${more}`,
      remedy: `Fix that, then: mile-marker undo front${from === null ? '' : ` ${editionNumber(from.edition)}`}`,
    });
  const before = left ?? place;
  const { title, words } = programOf(before.proxy);
  if (silent !== null)
    return new Trouble({
      code,
      message: `${why}. All files are restored, for ${liveWords(from?.edition ?? null)}, but ${title} does not answer: ${silent}.${more}`,
      remedy: `Start it: ${words.start({ container: before.container?.name ?? null })}`,
    });
  const isDown = from !== null && !was.answered;
  const now = isDown
    ? `All files are restored, for ${liveWords(from.edition)}. ${title} did not answer before, and is not running it now`
    : `Live now: ${liveWords(from?.edition ?? null)}, as before`;
  return new Trouble({
    code,
    message: `${why}. ${now}.${more}`,
    remedy: isDown
      ? `Fix that, then run this again. To make it serve again: ${words.start({ container: before.container?.name ?? null })}`
      : 'Fix that, then run this again. What happened so far: mile-marker editions',
  });
}
