import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** Ends the builtin front that runs in the background for the map of a folder, if one does. */
export function end(folder: string): void {
  const file = join(folder, '.mile-marker/serve.json');
  if (!existsSync(file)) return;
  try {
    process.kill((JSON.parse(readFileSync(file, 'utf8')) as { pid: number }).pid);
  } catch {
    // It has ended already.
  }
}
