import { open } from 'node:fs/promises';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { writeWhole } from './safe-write.ts';

/** So far into a file its sign is looked for. */
const signWithin = 1024;

/**
 * Writes a file that is made anew each time, over an earlier one of the same kind alone.
 *
 * @param sign what every such file has near its beginning
 * @throws Trouble `not-ours` where something else stands there, `cannot-write`
 */
export async function writeOwn(path: string, content: string, sign: string): Promise<void> {
  const before = await beginningOf(path);
  if (before !== null && before !== '' && !before.includes(sign))
    throw new Trouble({
      code: 'not-ours',
      message: `${path} already exists, and was not written by Mile Marker.`,
      remedy: 'Name another file, or move that one away.',
      exitCode: 2,
    });
  await writeWhole(path, content);
}

async function beginningOf(path: string): Promise<string | null> {
  try {
    const file = await open(path, 'r');
    try {
      const { buffer, bytesRead } = await file.read(Buffer.alloc(signWithin), 0, signWithin, 0);
      return buffer.subarray(0, bytesRead).toString('utf8');
    } finally {
      await file.close();
    }
  } catch (cause) {
    if (codeOf(cause) === 'ENOENT') return null;
    throw new Trouble({
      code: 'cannot-write',
      message: `Cannot write ${path}: ${reasonOf(cause)}.`,
      remedy: 'Name a file in a folder that you may write to.',
      exitCode: 2,
      cause,
    });
  }
}
