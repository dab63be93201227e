import { lstatSync, type Stats } from 'node:fs';
import { dirname } from 'node:path';
import { shellWord } from '../../core/shell-word.ts';
import { Trouble } from '../trouble.ts';

/** Whoever may write a folder decides what lies in it: what is found there is theirs, whatever its name says. */

const writableByAll = 0o002;
const writableByGroup = 0o020;
const sticky = 0o1000;

/** Who runs this, and for whom: `sudo` says it (sudo(8), SUDO_UID). */
function selves(env: Readonly<Record<string, string | undefined>>): Set<number> {
  const [own, behind] = [process.geteuid?.() ?? 0, Number(env['SUDO_UID'] ?? NaN)];
  return new Set([0, own, ...(own === 0 && Number.isInteger(behind) ? [behind] : [])]);
}

/**
 * A map that was found, not named, must not lie where others could have put it.
 *
 * @throws Trouble `map-of-others` (exit code 2), which says how to name it
 */
export function assertFoundIsOurs(mapFile: string, env: Readonly<Record<string, string | undefined>>): void {
  const own = selves(env);
  for (let path = mapFile; path !== dirname(path); path = dirname(path)) {
    const [folder, there] = [statOf(dirname(path)), statOf(path)];
    if (folder === null || there === null || !isOpen(folder) || (isSticky(folder) && own.has(there.uid))) continue;
    throw new Trouble({
      code: 'map-of-others',
      message: `${mapFile} was found, but others can write to ${dirname(path)}: it could be anybody's.`,
      remedy: `If it is your map, name it: --map ${shellWord(mapFile)}`,
      exitCode: 2,
    });
  }
}

/**
 * The state folder belongs to root, or to whoever could write the map itself: else somebody made it first, and would read the keys in it.
 *
 * @throws Trouble `state-of-others` (exit code 2)
 */
export function assertStateIsOurs(mapFile: string, root: string): void {
  const there = statOf(root);
  if (there === null) return;
  const owners = [statOf(mapFile)?.uid, statOf(dirname(mapFile))?.uid];
  if (there.isDirectory() && (there.uid === 0 || owners.includes(there.uid)) && !isOpen(there)) return;
  const why = !there.isDirectory()
    ? 'is no folder'
    : isOpen(there)
      ? 'can be written by others'
      : 'belongs neither to root nor to the owner of the map';
  throw new Trouble({
    code: 'state-of-others',
    message: `${root}, where keys are kept, ${why}.`,
    remedy:
      there.isDirectory() && isOpen(there)
        ? `If it is yours, close it: chmod go-w ${shellWord(root)}. Else move it away: mv ${shellWord(root)} ${shellWord(`${root}.others`)}`
        : `See whose it is: ls -ld ${shellWord(root)}. If it is not yours, move it away: mv ${shellWord(root)} ${shellWord(`${root}.others`)}`,
    exitCode: 2,
  });
}

/** Whether nobody but root can change what lies at a path: every folder above it is root's, and others may not write there, or not touch what is root's. */
export function isRootsOwn(path: string): boolean {
  for (let at = path; at !== dirname(at); at = dirname(at)) {
    const [folder, there] = [statOf(dirname(at)), statOf(at)];
    if (folder === null) {
      if (there !== null) return false;
      continue;
    }
    if (!folder.isDirectory() || folder.uid !== 0) return false;
    if (isOpen(folder) && !(isSticky(folder) && there?.uid === 0)) return false;
  }
  return true;
}

/** A group of a user's own, with the number of the user, is nobody else (Debian's adduser(8) makes one for everybody). */
function isOpen({ mode, uid, gid }: Stats): boolean {
  return (mode & writableByAll) !== 0 || ((mode & writableByGroup) !== 0 && gid !== 0 && gid !== uid);
}

function isSticky({ mode }: Stats): boolean {
  return (mode & sticky) !== 0;
}

function statOf(path: string): Stats | null {
  try {
    return lstatSync(path);
  } catch {
    return null;
  }
}
