import { statSync } from 'node:fs';
import { dirname } from 'node:path';

/**
 * Users whose sockets may be a map's front: root, whoever runs this, and the owner of the map's folder, whom `serve` runs as. Anybody else who listens
 * there could answer whatever he likes.
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
