import { createHash, randomBytes } from 'node:crypto';
import {
  chmod,
  chown,
  constants,
  copyFile,
  lchown,
  link,
  lstat,
  lutimes,
  open,
  readFile,
  readlink,
  rename,
  rm,
  stat,
  symlink,
  utimes,
} from 'node:fs/promises';
import { basename, dirname, isAbsolute, join } from 'node:path';
import type { Replaced } from '../../core/live/entries.ts';
import { keptName } from '../../core/outside/words.ts';
import { isBounded, notRoots, rootsPlace } from './bounds.ts';
import { codeOf, Trouble } from '../trouble.ts';
import { ensureFolder, syncFolder, writeNew, writeTrouble } from './safe-write.ts';

/** Files of others that were changed by us, kept as they were: the very file where the disk allows it, else its bytes, rights, owner and times. */

/** @param folder of the front */
const replacedIn = (folder: string): string => join(isBounded(folder) ? rootsPlace(folder) : folder, 'replaced');

/** @throws Trouble `not-roots` for a name that a journal of another user made up */
export function keptPath(folder: string, name: string): string {
  const parsed = keptName(name);
  if (parsed !== null) return join(replacedIn(folder), parsed);
  // Entries of version 1.0.0 have the whole path.
  if (!isBounded(folder) && isAbsolute(name)) return name;
  throw notRoots(name, 'is not the file that was saved here');
}

/** Beside what root keeps of a map of somebody else: which file it was, and all that is known of it. */
const noteOf = (kept: string): string => `${kept}.path`;

/** The same as it is known for certain: what root noted itself counts, and not what a journal says that another user may write. @throws Trouble `not-roots` */
async function certain(one: Replaced, folder: string): Promise<Replaced> {
  if (!isBounded(folder)) return one;
  const note = await readFile(noteOf(keptPath(folder, one.kept)), 'utf8').catch(() => null);
  const noted = note === null ? null : (JSON.parse(note) as Replaced);
  if (noted?.path !== one.path) throw notRoots(one.path, 'root has no saved copy of');
  return noted;
}

/**
 * Keeps a file as it is, beside what is to take its place. Nothing is changed at its own path. Names are never used twice.
 *
 * @param text what is to take its place, as bytes
 * @throws Trouble `cannot-keep`, `cannot-write`
 */
export async function keepFile(path: string, text: Buffer, folder: string): Promise<Replaced> {
  await ensureFolder(replacedIn(folder), 0o700);
  const name = randomBytes(8).toString('hex');
  const [kept, off] = [keptPath(folder, name), keptPath(folder, `${name}.off`)];
  const there = await lstat(path);
  const owner = { uid: there.uid, gid: there.gid };
  try {
    if (there.isSymbolicLink()) await copyFile(path, kept, constants.COPYFILE_EXCL);
    else await keepInode(path, kept);
    await writeNew(off, text, 0o600);
    await syncFolder(replacedIn(folder));
  } catch (cause) {
    await forget([{ kept: name }], folder);
    throw writeTrouble(kept, cause);
  }
  const target = there.isSymbolicLink() ? await readlink(path) : null;
  const made = { path, kept: name, link: target, owner, off: { name: `${name}.off`, digest: digestOf(text) } };
  if (isBounded(folder)) await writeNew(noteOf(kept), JSON.stringify(made), 0o600);
  return made;
}

/** A second name for the very file keeps all that belongs to it; on another disk it is copied with what can be copied. */
async function keepInode(path: string, kept: string): Promise<void> {
  try {
    await link(path, kept);
  } catch (error) {
    if (codeOf(error) === 'EEXIST') throw error;
    const { nlink } = await stat(path);
    if (nlink > 1)
      throw new Trouble({
        code: 'cannot-keep',
        message: `${path} has ${String(nlink)} names (hard links), and is on another disk than the folder of the map, so undo could not restore it exactly.`,
        remedy: 'Comment out the conflicting servers in that file by hand, then run this again without --replace.',
        exitCode: 2,
      });
    await copyWhole(path, kept);
  }
}

/** A new file with bytes, rights, owner and times of another. */
async function copyWhole(from: string, to: string): Promise<void> {
  await copyFile(from, to, constants.COPYFILE_EXCL);
  const { mode, uid, gid, atime, mtime } = await stat(from);
  if (process.getuid?.() === 0) await chown(to, uid, gid);
  await chmod(to, mode & 0o7777);
  await utimes(to, atime, mtime);
  const file = await open(to, 'r');
  await file.sync().finally(() => file.close());
}

/** Puts what was prepared in the place of a file; of a link, in the place of the link. Only of one that is as it was kept: what somebody edited since stays. */
export async function putOff(one: Replaced, folder: string): Promise<void> {
  if (one.off === undefined) return;
  const { path, kept, off } = await certain(one, folder);
  if (off === undefined) return;
  await clearFresh(path);
  const bytes = await readFile(keptPath(folder, off.name));
  if (!(await isSame(await readFile(path), keptPath(folder, kept)))) return;
  const { mode, uid, gid } = await stat(path);
  await inPlace(path, async (fresh) => {
    await writeNew(fresh, bytes, mode & 0o777);
    if (process.getuid?.() === 0) await chown(fresh, uid, gid);
  });
}

/** What became of a file that was to come back. `changed`: somebody edited or removed it since, so it was left alone. */
export type Restored = 'back' | 'changed';

/**
 * Brings a file back as it was.
 *
 * @param isOff whether bytes are what was put there, for entries that do not say so themselves
 */
export async function restoreFile(one: Replaced, folder: string, isOff: (bytes: Buffer) => boolean): Promise<Restored> {
  const { path, link: target, owner, off } = await certain(one, folder);
  const kept = keptPath(folder, one.kept);
  await clearFresh(path);
  const there = await lstat(path).catch(() => null);
  if (there === null) return 'changed';
  if (there.isSymbolicLink()) return (await readlink(path)) === target ? 'back' : 'changed';
  const bytes = await readFile(path);
  const isOurs = off === undefined ? isOff(bytes) : digestOf(bytes) === off.digest;
  if (!isOurs) return (await isSame(bytes, kept)) ? 'back' : 'changed';
  await inPlace(path, async (fresh) => {
    if (target !== null) await putLink(fresh, target, { kept, owner });
    // Version 1.0.0 kept the bytes alone; whose the file is and who may read it is as it is at its place.
    else if (off === undefined) await writeNew(fresh, await readFile(kept), there.mode & 0o777);
    else await bringInode(kept, fresh);
    if (off === undefined && target === null && process.getuid?.() === 0) await chown(fresh, there.uid, there.gid);
  });
  return 'back';
}

async function isSame(bytes: Buffer, kept: string): Promise<boolean> {
  return readFile(kept).then(
    (before) => before.equals(bytes),
    () => false,
  );
}

async function putLink(
  fresh: string,
  target: string,
  { kept, owner }: { kept: string; owner: Replaced['owner'] },
): Promise<void> {
  await symlink(target, fresh);
  if (owner !== undefined && process.getuid?.() === 0) await lchown(fresh, owner.uid, owner.gid);
  const { atime, mtime } = await stat(kept);
  await lutimes(fresh, atime, mtime);
}

async function bringInode(kept: string, fresh: string): Promise<void> {
  try {
    await link(kept, fresh);
  } catch {
    await copyWhole(kept, fresh);
  }
}

/** What is kept of files that are back is needed no more; a second name of theirs would stay for ever. */
export async function forget(files: ReadonlyArray<Pick<Replaced, 'kept'>>, folder: string): Promise<void> {
  for (const { kept } of files) {
    if (isAbsolute(kept)) continue;
    await rm(keptPath(folder, kept), { force: true });
    await rm(keptPath(folder, `${kept}.off`), { force: true });
    if (isBounded(folder)) await rm(noteOf(keptPath(folder, kept)), { force: true });
  }
}

/** Always the same name, so that what a full disk or a kill left of it goes with the next try. */
function freshFor(path: string): string {
  return join(dirname(path), `.${basename(path)}.mile-marker.new`);
}

async function clearFresh(path: string): Promise<void> {
  const fresh = freshFor(path);
  await rm(fresh, { force: true }).catch((cause: unknown) => {
    throw writeTrouble(fresh, cause);
  });
}

async function inPlace(path: string, make: (fresh: string) => Promise<void>): Promise<void> {
  const fresh = freshFor(path);
  try {
    await make(fresh);
    await rename(fresh, path);
  } catch (cause) {
    await rm(fresh, { force: true }).catch(() => undefined);
    throw writeTrouble(path, cause);
  }
  await syncFolder(dirname(path));
}

function digestOf(bytes: Buffer): string {
  return createHash('sha256').update(bytes).digest('hex');
}
