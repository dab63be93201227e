import { readFile } from 'node:fs/promises';
import { join } from 'node:path';

/** A path for the file that includes ours. That of an earlier installation may stand there still; what somebody else wrote or added to stays. */
export async function freeName(folder: string, entry: string): Promise<string | null> {
  for (const name of ['mile-marker.conf', 'mile-marker-2.conf', 'mile-marker-3.conf', 'mile-marker-4.conf']) {
    const path = join(folder, name);
    const text = await readFile(path, 'utf8').catch(() => null);
    if (text === null || isOnlyOurs(text, entry)) return path;
  }
  return null;
}

function isOnlyOurs(text: string, entry: string): boolean {
  const lines = text.split('\n').filter((line) => line.trim() !== '' && !line.startsWith('# Made by `mile-marker'));
  return lines.length === 1 && lines[0]?.trimStart().startsWith('#') === false && lines[0].includes(entry);
}
