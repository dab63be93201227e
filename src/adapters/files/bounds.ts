import { createHash } from 'node:crypto';
import { lstat } from 'node:fs/promises';
import { join } from 'node:path';
import { isRootsOwn } from './others-hands.ts';
import { codeOf, Trouble } from '../trouble.ts';

/**
 * What root does because of files that another user may write is bounded by what that user cannot write: in a map of somebody else the
 * journal is no proof, so root changes files of a server's own folder alone, which nobody else can reach, and what it keeps of them it keeps
 * where nobody else can change it.
 */

/** @param folder of the front */
export function isBounded(folder: string): boolean {
  return process.geteuid?.() === 0 && process.platform === 'linux' && !isRootsOwn(join(folder, 'current'));
}

/** Where root keeps what belongs to it alone of a map of somebody else. */
export function rootsPlace(folder: string): string {
  return join('/var/lib/mile-marker', createHash('sha256').update(folder).digest('hex').slice(0, 16));
}

/**
 * @param within folders of the server's own configuration
 * @throws Trouble `not-roots` for a file elsewhere, or one that a path leads to by way of another user's folder or a link
 */
export async function assertMayChange(path: string, folder: string, within: readonly string[]): Promise<void> {
  if (!isBounded(folder)) return;
  const isThere = within.some((one) => path.startsWith(`${one}/`));
  const there = await lstat(path).catch((error: unknown) => {
    if (codeOf(error) === 'ENOENT') return null;
    throw error;
  });
  const isRoots = there === null || (there.uid === 0 && (there.isFile() || there.isSymbolicLink()));
  if (isThere && isRoots && !path.split('/').includes('..') && isRootsOwn(path)) return;
  throw notRoots(path, 'is no file of root in the configuration of that server');
}

/** @throws Trouble `not-roots` */
export function notRoots(path: string, why: string): Trouble {
  return new Trouble({
    code: 'not-roots',
    message: `The journal of this map can be written by another user. It names ${path}, which ${why}. Root leaves that file alone.`,
    remedy:
      'Look at that file yourself. To have root trust the journal, give the map to root: chown -R root: FOLDER (the folder of the map).',
  });
}
