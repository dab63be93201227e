import { statfsSync } from 'node:fs';
import { dirname } from 'node:path';

/** Room on the disk of a folder that is there or will be, for whoever is no root (statvfs(3)); null where that cannot be known. */
export function diskRoom(folder: string): { freeBytes: number; freeFiles: number } | null {
  for (const path of [folder, dirname(folder)]) {
    try {
      const { bavail, bsize, files, ffree } = statfsSync(path);
      // Some file systems make room for files as they need it, and count none.
      return { freeBytes: bavail * bsize, freeFiles: files === 0 ? Number.MAX_SAFE_INTEGER : ffree };
    } catch {
      continue;
    }
  }
  return null;
}
