import { statSync, type Stats } from 'node:fs';
import { dirname } from 'node:path';
import type { FileUser } from '../host/file-user.ts';

/**
 * What keeps a user from reading what lies at an absolute path: folders above it, and the thing itself. Only the classic rights are looked at
 * (POSIX 4.5); lists of rights beyond them may still let it in.
 */
export function whatBars(path: string, user: FileUser): string[] {
  if (user.uid === 0) return [];
  const folders = foldersAbove(path).filter((folder) => !may(folder, user, 1));
  return may(path, user, statSync(path).isDirectory() ? 5 : 4) ? folders : [...folders, path];
}

function foldersAbove(path: string): string[] {
  const above = dirname(path);
  return above === path ? [] : [...foldersAbove(above), above];
}

/** @param bits 4 to read, 1 to go through */
function may(path: string, { uid, groups }: FileUser, bits: number): boolean {
  const { mode, uid: owner, gid }: Stats = statSync(path);
  const shift = owner === uid ? 6 : groups.includes(gid) ? 3 : 0;
  return ((mode >> shift) & bits) === bits;
}
