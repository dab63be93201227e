import { existsSync } from 'node:fs';
import { join } from 'node:path';
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
    await settle(statePaths(mapFile).front, io);
    await work();
  } finally {
    await giveBack();
  }
}

/**
 * Before a command that only looks: ends what an installation left half-done, unless somebody else is at it. It looks at the journal alone where there is
 * nothing to end.
 */
export async function endCutShort(mapFile: string, io: Io): Promise<void> {
  const paths = statePaths(mapFile);
  if (!existsSync(join(paths.front, 'journal.jsonl'))) return;
  const { isCutShort } = await import('../use-cases/live/settle-front.ts');
  if (!(await isCutShort(paths.front))) return;
  const { tryLock } = await import('../adapters/files/lock.ts');
  const giveBack = await tryLock(paths, 'mile-marker');
  if (giveBack === null) return;
  try {
    await settle(paths.front, io);
  } finally {
    await giveBack();
  }
}

/** Whatever comes next first ends what an installation left half-done. */
async function settle(front: string, io: Io): Promise<void> {
  const { settleFront } = await import('../use-cases/live/settle-front.ts');
  const settled = await settleFront(front, { env: io.env, now: io.now, signal: io.signal });
  if (settled !== null) io.err(`${settled.says}\n`);
}
