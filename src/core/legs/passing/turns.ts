import type { Answer, Attempt, Failure } from '../answer.ts';

/** What one question got: a status, or why there was none. */
export type Sample = number | Failure['kind'];

/** Two questions that were asked by turns. What is compared is whether each gets the same again and again, and the other something else. */
export interface Turns {
  a: Sample[];
  b: Sample[];
}

export function sampleOf(attempt: Attempt<Pick<Answer, 'status'>>): Sample {
  return attempt.ok ? attempt.value.status : attempt.failure.kind;
}

/** Rounds of a comparison: so many at least, and as many as tell a rate once the answers disagree. */
export const fewestRounds = 3;
export const mostRounds = 6;

/**
 * Whose turn it is in each round: A B, B A, B A, A B, … by the Thue–Morse sequence. In plain alternation a service that fails every second
 * time would fail one question always and the other never; in this order what recurs by itself, at any pace, comes to both.
 *
 * @param from number of the first round, from 0 @param to number of the round after the last
 */
export function turnsOf(from: number, to: number): Array<'a' | 'b'> {
  const turns: Array<'a' | 'b'> = [];
  for (let round = from; round < to; round += 1)
    turns.push(...(isOdd(round) ? (['b', 'a'] as const) : (['a', 'b'] as const)));
  return turns;
}

/** Whether a number has an odd number of ones in base two. */
function isOdd(round: number): boolean {
  return [...round.toString(2)].filter((digit) => digit === '1').length % 2 === 1;
}

/** Whether the same question got different answers. */
export function varies(samples: readonly Sample[]): boolean {
  return samples.some((one) => one !== samples[0]);
}

/** Whoever is asked too often says so, and nothing follows from it (RFC 6585 §4). */
export function isTooOften(samples: readonly Sample[]): boolean {
  return samples.includes(429);
}

export function isFailing(sample: Sample): boolean {
  return typeof sample !== 'number' || sample >= 500;
}
