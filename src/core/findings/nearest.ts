import { distance } from 'fastest-levenshtein';
import { byUnits } from '../by-units.ts';

/** The known word nearest to what was typed, or null when nothing is near enough to be meant. */
export function nearest(typed: string, known: readonly string[]): string | null {
  const ranked = known
    .map((word) => ({ word, away: distance(typed.toLowerCase(), word.toLowerCase()) }))
    .sort((a, b) => a.away - b.away || byUnits(a.word, b.word));
  const best = ranked[0];
  if (best === undefined) return null;
  // Two letters that changed places count as two edits.
  const longest = Math.max(typed.length, best.word.length);
  return best.away <= (longest < 4 ? 1 : Math.max(2, Math.floor(longest / 3))) ? best.word : null;
}
