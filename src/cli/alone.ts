import { findMap } from '../adapters/files/find-map.ts';
import { statePaths } from '../adapters/files/state-folder.ts';
import type { Io } from './io.ts';

/** Runs what changes the state of a map while nothing else does: a timer and a person may come at the same moment. */
export async function alone(
  { map, dryRun }: { map?: string; dryRun?: boolean },
  command: string,
  io: Io,
  work: () => Promise<void>,
): Promise<void> {
  if (dryRun === true) return work();
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  // Commands that change nothing do not pay for it.
  const { takeLock } = await import('../adapters/files/lock.ts');
  const giveBack = await takeLock({
    paths: statePaths(mapFile),
    command: `mile-marker ${command}`,
    onWait: ({ command: other, pid }) =>
      io.err(`Waiting: \`${other}\` (process ${String(pid)}) is changing the same files.\n`),
    signal: () => io.signal,
  });
  try {
    await work();
  } finally {
    await giveBack();
  }
}
