import { setTimeout as sleep } from 'node:timers/promises';
import { ask } from '../probe/ask.ts';
import { Trouble } from '../trouble.ts';

interface WaitInput {
  address: string;
  port: number;
  /** How it is asked; default: there, from this machine. */
  ask?: () => Promise<string | null>;
  /** What the mark listener must answer. */
  mark: string;
  withinMs: number;
  signal: AbortSignal;
}

/** What a front answers to its mark at an address; null when that is nothing. */
export async function askMark(
  { address, port }: { address: string; port: number },
  signal: AbortSignal,
  timeoutMs = 1000,
): Promise<string | null> {
  const headers = { host: address };
  const answer = await ask({ scheme: 'http', address, port, target: '/mark', headers, timeoutMs, signal });
  return answer.ok && answer.value.status === 200 ? answer.value.body.trim() : null;
}

/** So often must the new mark come in a row. */
const inARow = 5;

/** A front that takes up what is new does so within a moment. */
const everyMs = 20;

/**
 * Waits until the front answers the mark of the newest edition: only then does it really run it.
 *
 * @throws Trouble `mark-not-seen` when it does not within the time
 */
export async function waitForMark(input: WaitInput): Promise<void> {
  const { address, port, mark, withinMs, signal, ask: asked = () => askMark(input, signal) } = input;
  // By the clock: one that hangs takes long for each question.
  const end = Date.now() + withinMs;
  // For a moment after a reload some connections still go to what ran before.
  let seen = 0;
  while (Date.now() < end && !signal.aborted) {
    seen = (await asked()) === mark.trim() ? seen + 1 : 0;
    if (seen === inARow) return;
    await sleep(everyMs);
  }
  if (signal.aborted) return;
  const message = `The front does not confirm the newest edition on ${address}:${String(port)} within ${String(withinMs / 1000)} s.`;
  throw new Trouble({
    code: 'mark-not-seen',
    message,
    remedy: 'Read the error log of the front. It may still run the older configuration.',
  });
}
