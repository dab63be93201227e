import { spawn } from 'node:child_process';
import { once } from 'node:events';

/** @property err what it said of trouble @property timedOut it was ended, since it took too long */
interface Ended {
  code: number | null;
  err: string;
  timedOut: boolean;
}

/** Runs a program to its end and not longer than the limit. Ctrl-C ends it, too. */
export async function runWithin(
  [program = '', ...argv]: readonly string[],
  { env, limitMs, signal }: { env: Readonly<Record<string, string | undefined>>; limitMs: number; signal: AbortSignal },
): Promise<Ended> {
  const child = spawn(program, argv, { stdio: ['ignore', 'ignore', 'pipe'], env, detached: true });
  let err = '';
  child.stderr.setEncoding('utf8').on('data', (text: string) => (err = `${err}${text}`.slice(0, 10_000)));
  let timedOut = false;
  // With all that it started: nobody else would end that.
  const end = (): void => {
    try {
      if (child.pid !== undefined) process.kill(-child.pid, 'SIGKILL');
    } catch {
      // It has ended already.
    }
  };
  const timer = setTimeout(() => {
    timedOut = true;
    end();
  }, limitMs);
  signal.addEventListener('abort', end, { once: true });
  try {
    const [code] = (await once(child, 'close')) as [number | null];
    return { code, err, timedOut };
  } catch (error) {
    return { code: null, err: String(error), timedOut };
  } finally {
    clearTimeout(timer);
    signal.removeEventListener('abort', end);
  }
}
