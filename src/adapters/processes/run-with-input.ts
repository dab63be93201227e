import { spawn } from 'node:child_process';
import { reasonOf, Trouble } from '../trouble.ts';

/**
 * Runs a program of the administrator's without a shell, gives it a text on its standard input, and waits for it. What it
 * says on standard output is left out: that is for our own data.
 *
 * @throws Trouble `program-failed`
 */
export async function runWithInput(words: readonly string[], text: string): Promise<void> {
  const [program = '', ...argv] = words;
  const child = spawn(program, argv, { stdio: ['pipe', 'ignore', 'inherit'] });
  // A program that does not read is no fault.
  child.stdin.on('error', () => undefined);
  child.stdin.end(text);
  const why = await new Promise<string | null>((resolve) => {
    child.once('error', (error) => resolve(reasonOf(error)));
    child.once('close', (code, signal) => resolve(code === 0 ? null : `it ended with ${String(signal ?? code)}`));
  });
  if (why === null) return;
  throw new Trouble({
    code: 'program-failed',
    message: `${program} failed: ${why}.`,
    remedy: 'Run it by hand to see why.',
  });
}
