import { spawn } from 'node:child_process';
import { reasonOf, Trouble } from '../trouble.ts';

interface AfterInput {
  /** What it is given on its standard input. */
  input?: string;
  /** What the one who reads that it failed should know. */
  remedy: string;
}

/**
 * Runs a program of the administrator's after ours has done its work, without a shell, and waits for it. What it says on standard output is
 * left out: that is for our own data.
 *
 * @throws Trouble `then-failed` when the program cannot be run or ends with another code than 0
 */
export async function runAfter(words: readonly string[], { input = '', remedy }: AfterInput): Promise<void> {
  const [program = '', ...argv] = words;
  const child = spawn(program, argv, { stdio: ['pipe', 'ignore', 'inherit'] });
  // A program that does not read is no fault.
  child.stdin.on('error', () => undefined);
  child.stdin.end(input);
  const ended = await new Promise<number | string>((resolve) => {
    child.once('error', (error) => resolve(reasonOf(error)));
    child.once('close', (code, signal) => resolve(code ?? signal ?? 1));
  });
  if (ended === 0) return;
  const how = typeof ended === 'number' ? `it ended with code ${String(ended)}` : ended;
  throw new Trouble({ code: 'then-failed', message: `The program ${program} failed: ${how}.`, remedy });
}
