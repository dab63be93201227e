import { open } from 'node:fs/promises';
import { readLog, type LogTold } from '../../core/forgotten/log.ts';

/** So much of the end of a log is read; what is older counts as not there. */
const mostBytes = 8 << 20;

/** What the log of a road tells, with the one before it where they are rotated by number; null when there is none. */
export async function readRoadLog(path: string): Promise<LogTold | null> {
  const texts = await Promise.all([endOf(`${path}.1`), endOf(path)]);
  const there = texts.filter((text) => text !== null);
  return there.length === 0 ? null : readLog(there.join('\n'));
}

async function endOf(path: string): Promise<string | null> {
  try {
    const file = await open(path, 'r');
    try {
      const { size } = await file.stat();
      const length = Math.min(size, mostBytes);
      const { buffer, bytesRead } = await file.read(Buffer.alloc(length), 0, length, size - length);
      return buffer.subarray(0, bytesRead).toString('utf8');
    } finally {
      await file.close();
    }
  } catch {
    // It is the server's, and may not be ours to read.
    return null;
  }
}
