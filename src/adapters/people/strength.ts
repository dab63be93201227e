import { zxcvbn, zxcvbnOptions } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary } from '@zxcvbn-ts/language-common';

/** Guesses that a password must withstand: somebody with the file tries some thousand a second. */
const leastScore = 3;

/** What is wrong with each kind of weakness, by the library's own keys. */
const reasons: Record<string, string> = {
  straightRow: 'rows of keys are among the first guesses',
  keyPattern: 'short patterns of keys are among the first guesses',
  simpleRepeat: 'repeated letters add nothing',
  extendedRepeat: 'repeated words add nothing',
  sequences: 'sequences such as abc or 6543 are among the first guesses',
  recentYears: 'years are among the first guesses',
  dates: 'dates are among the first guesses',
  topTen: 'it is one of the ten most used passwords',
  topHundred: 'it is one of the hundred most used passwords',
  common: 'it is a common password',
  similarToCommon: 'it is similar to a common password',
  wordByItself: 'a single word is among the first guesses',
  namesByThemselves: 'a single name is among the first guesses',
  commonNames: 'common names are among the first guesses',
  userInputs: 'it is made of the name, or of names on the map',
  pwned: 'it was found in a leak',
};

/**
 * Why a password is too weak, or null. Too long is weak too: bcrypt looks at 72 bytes and no further.
 *
 * @param known words that anybody would try: the person's name, names of the map
 */
export function whyWeak(password: string, known: readonly string[]): string | null {
  if (password === '') return 'it is empty';
  if (/[\u0000-\u001f\u007f]/.test(password)) return 'it has a control character, which no browser can send';
  if (Buffer.byteLength(password) > 72) return 'it is longer than 72 bytes, and the hash would ignore the rest';
  if (password.length < 8) return 'it has fewer than eight characters';
  zxcvbnOptions.setOptions({ dictionary: { ...dictionary }, graphs: adjacencyGraphs });
  const { score, feedback } = zxcvbn(password.slice(0, 100), [...known]);
  if (score >= leastScore) return null;
  return reasons[feedback.warning ?? ''] ?? 'it can be guessed in too few tries';
}
