import { statSync } from 'node:fs';

/**
 * As whom a program runs that a map names: as root the owner of the map's folder is not trusted with more than he has, so that it runs as him
 * (credentials(7)); else as whoever runs this.
 *
 * @param folder of the map @returns options for `spawn`
 */
export function asOwnerOf(folder: string): { uid?: number; gid?: number } {
  if (process.geteuid?.() !== 0) return {};
  const { uid, gid } = statSync(folder);
  return uid === 0 ? {} : { uid, gid };
}
