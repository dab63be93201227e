import { allPrograms } from './programs.ts';
import type { LogLine, LogReason } from './program.ts';

/** A line of some front's error log, in the form of whichever program it is; what is in no known form is told as it stands. */
export function readLogLine(line: string): LogLine {
  for (const { errorLog } of allPrograms) {
    const read = errorLog?.read(line) ?? null;
    if (read !== null) return read;
  }
  const words = line.trim().slice(0, longestLogWords);
  return { words, isTalk: false, client: null, dialled: null, reason: null };
}

const longestLogWords = 300;

/**
 * Why the front did not get to the service, as its log has it, and what it dialled; null when it gives no answer known.
 *
 * @param upstream host and port of the service, as the map has it
 */
export function reasonInLog(line: string | null, upstream: string): { say: LogReason; dialled: string } | null {
  if (line === null) return null;
  const { reason: say, dialled } = readLogLine(line);
  if (say === null) return null;
  // The right place, which is there for this machine and not for the front: it runs elsewhere.
  if (say === 'dials' && dialled?.endsWith(`//${upstream}`) === true) return null;
  return { say, dialled: dialled ?? 'another place' };
}
