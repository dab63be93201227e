import type { EditionNumber } from '../outside/words.ts';

/** A number of an edition or of a pair of files, as people and folders write it: names sort in the order they were made. */
export function editionNumber(number: number): EditionNumber {
  return String(number).padStart(4, '0') as EditionNumber;
}
