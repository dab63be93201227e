import { statSync } from 'node:fs';
import { dirname } from 'node:path';

/**
 * Users whose sockets can be the front of a map: root, the current user, and the owner of the map's folder (`serve` runs as that user). A socket of any
 * other user proves nothing.
 */
export function ownUsers(mapFile: string): Set<number> {
  const own = new Set([0, process.geteuid?.() ?? 0]);
  try {
    own.add(statSync(dirname(mapFile)).uid);
  } catch {
    // Without a folder there is nobody more.
  }
  return own;
}
