import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { findMap } from '../adapters/files/find-map.ts';
import { statePaths } from '../adapters/files/state-folder.ts';
import type { Io } from './io.ts';

interface AloneOptions {
  map?: string;
  dryRun?: boolean;
  /** What was cut short has nothing to do with it, and is left as it is. */
  leavesCutShort?: boolean;
}

/** Runs what changes the state of a map while nothing else does: a timer and a person may come at the same moment. */
export async function alone<T>(
  { map, dryRun, leavesCutShort }: AloneOptions,
  command: string,
  io: Io,
  work: () => Promise<T>,
): Promise<T> {
  if (dryRun === true) return work();
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  // Commands that change nothing do not pay for it.
  const { takeLock } = await import('../adapters/files/lock.ts');
  const giveBack = await takeLock({
    paths: statePaths(mapFile),
    command: `mile-marker ${command}`,
    onWait: ({ command: other, pid }) =>
      io.err(`Waiting: \`${other}\` (process ${String(pid)}) is changing the same files right now.\n`),
    signal: () => io.signal,
  });
  try {
    if (leavesCutShort !== true) await settle(mapFile, io);
    return await work();
  } finally {
    await giveBack();
  }
}

/** For a command that only looks: says what an installation left half-done, unless it is at it still, and how to end it. */
export async function sayCutShort(mapFile: string, io: Io): Promise<void> {
  const paths = statePaths(mapFile);
  if (!existsSync(join(paths.front, 'journal.jsonl'))) return;
  const { cutShort } = await import('../use-cases/live/settle-front.ts');
  const to = await cutShort(paths.front);
  if (to === undefined) return;
  const { isHeld } = await import('../adapters/files/lock.ts');
  if (await isHeld(join(paths.root, 'lock'))) return;
  const { liveWords } = await import('../use-cases/live/front-moves.ts');
  io.err(`An installation of ${liveWords(to)} was interrupted. To finish it: mile-marker install\n`);
}

/** Whatever brings something live first ends what an installation left half-done. */
async function settle(map: string, io: Io): Promise<void> {
  const { settleFront } = await import('../use-cases/live/settle-front.ts');
  const { front: folder } = statePaths(map);
  const settled = await settleFront({ folder, map }, { env: io.env, now: io.now, signal: io.signal });
  if (settled !== null) io.err(`${settled.says}\n`);
}
