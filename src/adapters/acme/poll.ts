import { setTimeout as pause } from 'node:timers/promises';
import * as z from 'zod';
import { oneLine } from '../../core/outside/words.ts';

const firstPauseMs = 500;
const longestPauseMs = 10_000;
const patienceMs = 300_000;

interface Settling {
  status: string;
}

/**
 * Asks again and again until an order or authorization is valid (RFC 8555 §7.1.6), at growing intervals, for five minutes at
 * most. The first question comes at once.
 *
 * @throws Error with the authority's words when it becomes invalid; when it stays as it is; or when aborted
 */
export async function untilSettled<T extends Settling>(read: () => Promise<T>, signal: AbortSignal): Promise<T> {
  const since = performance.now();
  for (let wait = firstPauseMs; ; wait = Math.min(wait * 2, longestPauseMs)) {
    const now = await read();
    if (now.status === 'valid') return now;
    if (!['pending', 'ready', 'processing'].includes(now.status)) throw new Error(oneLine(wordsOf(now)));
    // By the clock: answers take time as well as pauses.
    const waited = performance.now() - since;
    if (waited >= patienceMs)
      throw new Error(`it still says "${now.status}" after ${String(Math.round(waited / 1000))} seconds`);
    await pause(wait, undefined, { signal });
  }
}

const problem = z.object({ detail: z.string() });
const settledForm = z.object({
  error: problem.optional(),
  challenges: z.array(z.object({ error: problem.optional() })).optional(),
});

/** The reason stands at the order, or at the challenge that failed. */
function wordsOf(ended: Settling): string {
  const { error, challenges = [] } = settledForm.safeParse(ended).data ?? {};
  const words = error?.detail ?? challenges.find((one) => one.error !== undefined)?.error?.detail;
  return words ?? `its answer is "${ended.status}"`;
}
