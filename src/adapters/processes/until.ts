import { setTimeout as pause } from 'node:timers/promises';

/** Asks again and again until it holds, for so long at most. @returns whether it came to hold */
export async function until(
  holds: () => boolean | Promise<boolean>,
  { withinMs, everyMs = 20 }: { withinMs: number; everyMs?: number },
): Promise<boolean> {
  const end = Date.now() + withinMs;
  for (;;) {
    if (await holds()) return true;
    if (Date.now() >= end) return false;
    await pause(everyMs);
  }
}
