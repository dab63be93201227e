import { readFile } from 'node:fs/promises';
import { join } from 'node:path';

/** A path for the file that includes ours. That of an earlier installation may stand there still; the file of another map stays. */
export async function freeName(folder: string, entry: string): Promise<string | null> {
  for (const name of ['mile-marker.conf', 'mile-marker-2.conf', 'mile-marker-3.conf', 'mile-marker-4.conf']) {
    const path = join(folder, name);
    const text = await readFile(path, 'utf8').catch(() => null);
    if (text?.includes(entry) !== false) return path;
  }
  return null;
}
