import { setTimeout as delay } from 'node:timers/promises';
import { readRunning } from '../../../use-cases/verify/asking/running.ts';
import { loadSite } from '../../../use-cases/map/load.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import type { Io } from '../../io.ts';

/** So long a person is kept waiting for what goes live by itself. */
const patienceMs = 30_000;

/**
 * Where `follow` runs, an edit of the map goes live by itself: says so, and waits to see it by the mark of the front. Called once the files of the map are free
 * again, which `follow` needs.
 */
export async function waitForFollow({ mapFile, plan }: Site, io: Io): Promise<void> {
  io.err('`mile-marker follow` runs, and makes this live by itself.\n');
  const seeIt = 'next: see it: journalctl -u mile-marker-follow, then: mile-marker verify\n';
  if (plan.front.container !== null) {
    io.err(seeIt);
    return;
  }
  const began = performance.now();
  while (performance.now() - began < patienceMs && !io.signal.aborted) {
    io.progress('waiting for it');
    const site = await loadSite(mapFile, io);
    if (site.map === null) break;
    const running = await readRunning(site, { timeoutMs: 1000, signal: io.signal }, null);
    if (running !== null && running.wanted !== null && running.runs.endsWith(running.wanted)) {
      io.progress('');
      io.err('It is live.\nnext: mile-marker verify\n');
      return;
    }
    await delay(500, undefined, { signal: io.signal }).catch(() => undefined);
  }
  io.progress('');
  io.err(`It is not live yet.\n${seeIt}`);
}
