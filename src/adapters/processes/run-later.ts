import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { reasonOf, Trouble } from '../trouble.ts';
import { runQuiet } from './run-quiet.ts';

/**
 * Has a command run by itself after `seconds`, whatever becomes of this program and of the session it runs in: by systemd where it
 * runs (systemd-run(1)), else by a child of its own that waits.
 *
 * @throws Trouble `cannot-arm`
 */
export async function runLater(command: readonly string[], seconds: number): Promise<void> {
  if (existsSync('/run/systemd/system')) {
    const { code, err, cause } = await runQuiet('systemd-run', [
      '--collect',
      `--on-active=${String(seconds)}s`,
      '--timer-property=AccuracySec=1s',
      ...command,
    ]);
    if (code !== 0) throw cannotArm(err.trim() === '' ? reasonOf(cause) : err.trim());
    return;
  }
  await waitInChild(command, seconds);
}

/** Node itself waits: it is there for certain, and needs no shell. */
const waiter = `const [ms, program, ...argv] = process.argv.slice(1);
setTimeout(() => require('node:child_process').spawn(program, argv, { stdio: 'ignore' }), Number(ms));`;

function waitInChild(command: readonly string[], seconds: number): Promise<void> {
  const child = spawn(process.execPath, ['-e', waiter, '--', String(seconds * 1000), ...command], {
    detached: true,
    stdio: 'ignore',
  });
  return new Promise((resolve, reject) => {
    child.once('error', (error) => reject(cannotArm(reasonOf(error))));
    child.once('spawn', () => {
      child.unref();
      resolve();
    });
  });
}

function cannotArm(why: string): Trouble {
  return new Trouble({
    code: 'cannot-arm',
    message: `The timer that would remove the rules could not be started: ${why}`,
    remedy: 'No rule was loaded, so that you cannot lock yourself out. Fix the timer first.',
  });
}
