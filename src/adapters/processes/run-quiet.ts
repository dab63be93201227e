import { execFile } from 'node:child_process';

interface Ended {
  /** Exit code; null when the program could not be started or was ended by a signal. */
  code: number | null;
  out: string;
  err: string;
  /** The system's own error when the program could not be started. */
  cause: unknown;
}

/** Runs a program without a shell to its end, at most `timeoutMs`, and keeps what it says; of one that takes longer, that it did. Never throws. */
export function runQuiet(
  program: string,
  argv: readonly string[],
  timeoutMs = 10_000,
  env: NodeJS.ProcessEnv = process.env,
): Promise<Ended> {
  return new Promise((resolve) => {
    execFile(program, [...argv], { env, timeout: timeoutMs, maxBuffer: 16 << 20 }, (error, out, err) => {
      const code = error === null ? 0 : typeof error.code === 'number' ? error.code : null;
      const late = error?.killed === true ? `${err}it did not end within ${String(timeoutMs / 1000)} seconds` : err;
      resolve({ code, out, err: late, cause: code === null && error?.killed !== true ? error : null });
    });
  });
}
