import { CommanderError } from 'commander';
import { exit, reasonOf, Trouble } from '../adapters/trouble.ts';
import type { Io } from './io.ts';
import { harmless } from './print/harmless.ts';
import { makeProgram } from './program.ts';

/**
 * Runs one command line. Returns the exit code; prints nothing but through `io`, and nothing that a terminal would obey: some of it is what
 * others say.
 */
export async function runProgram(argv: readonly string[], given: Io): Promise<number> {
  const io: Io = {
    ...given,
    out: (text) => given.out(harmless(text)),
    err: (text) => given.err(harmless(text)),
    progress: (line) => given.progress(harmless(line)),
  };
  let code: number = exit.well;
  const setCode = (wanted: number): void => {
    code = wanted;
  };
  const program = makeProgram({ io, setCode, run: runProgram });
  try {
    await program.parseAsync([...argv], { from: 'user' });
    return io.signal.aborted && code === exit.well ? interruptedCode(io.signal) : code;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? exit.well : exit.badInput;
    if (error instanceof Trouble) {
      io.err(`mile-marker: ${error.message}\n  do: ${error.remedy}\n`);
      return error.exitCode;
    }
    if (io.signal.aborted) return interruptedCode(io.signal);
    io.err(`mile-marker: this is a mistake in Mile Marker itself: ${reasonOf(error)}\n`);
    if (io.env['MILE_MARKER_DEBUG'] !== undefined && error instanceof Error) io.err(`${error.stack ?? ''}\n`);
    else io.err('  do: please report it with what MILE_MARKER_DEBUG=1 prints.\n');
    return exit.cannotJudge;
  }
}

/** SIGTERM is how a service manager ends a program that runs for long: that is well. */
function interruptedCode(signal: AbortSignal): number {
  return signal.reason instanceof Error && signal.reason.message === 'SIGTERM' ? exit.well : exit.interrupted;
}
