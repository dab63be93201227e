import { rm, stat } from 'node:fs/promises';
import { runQuiet } from '../../processes/run-quiet.ts';
import { patienceMs } from '../adapter.ts';
import { pidFileIn } from '../../../core/proxies/nginx/dump.ts';

type Ran = Awaited<ReturnType<typeof runQuiet>>;

/** What nginx really reads, by its own dump (nginx(8), -T). Nothing is reloaded, and nothing left behind. */
export async function dumpOf(program: string): Promise<Ran> {
  const begun = Date.now();
  const ran = await runQuiet(program, ['-T', '-e', 'stderr'], patienceMs);
  await removeEmptyPid(pidFileIn(ran.out) ?? (await builtPidFile(program)), begun);
  return ran;
}

/** Where it was built to keep the number of its main process. */
export async function builtPidFile(program: string): Promise<string> {
  const { err } = await runQuiet(program, ['-V'], patienceMs);
  return /--pid-path=(\S+)/.exec(err)?.[1] ?? '/run/nginx.pid';
}

/** A test of nginx that is not running leaves an empty pid file behind; one that was there before stays. */
async function removeEmptyPid(path: string, begunMs: number): Promise<void> {
  const there = await stat(path).catch(() => null);
  if (there?.isFile() === true && there.size === 0 && there.birthtimeMs >= begunMs - 1000)
    await rm(path, { force: true }).catch(() => undefined);
}
