import { randomBytes } from 'node:crypto';
import { closeSync, constants, lchownSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { lchown, link, lstat, mkdir, open, rename, rm, stat, symlink } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { inTrueFolder } from './true-folder.ts';

/** Turns the system's refusal to write into words with a remedy. */
export function writeTrouble(path: string, cause: unknown): Trouble {
  if (cause instanceof Trouble) return cause;
  const remedies: Record<string, string> = {
    EACCES: 'Run this as a user who can write there, or choose another folder.',
    EEXIST: 'Move it away first; nothing of yours is overwritten.',
    ENOSPC: 'Free some disk space. The existing files are unchanged.',
  };
  const remedy = remedies[codeOf(cause) ?? ''] ?? 'Check the folder. The existing files are unchanged.';
  return new Trouble({ code: 'cannot-write', message: `Cannot write ${path}: ${reasonOf(cause)}.`, remedy, cause });
}

/**
 * Makes a folder (and those above it) unless it is there.
 *
 * @throws Trouble `folder-is-link` when a link stands in its place: nothing is written through links
 */
export async function ensureFolder(path: string, mode = 0o755): Promise<void> {
  try {
    await makeFolder(path, mode);
  } catch (cause) {
    throw writeTrouble(path, cause);
  }
  if (!(await lstat(path)).isSymbolicLink()) return;
  const message = `${path} is a link, and nothing is written through links.`;
  throw new Trouble({
    code: 'folder-is-link',
    message,
    remedy: 'Replace the link with a folder, or use the real folder.',
  });
}

/** Not `recursive`: Node 20 then tries for ever where a folder is refused with ENOENT, as below /proc. */
async function makeFolder(path: string, mode: number): Promise<void> {
  try {
    await makeOne(path, mode);
  } catch (error) {
    if (codeOf(error) === 'EEXIST' && (await stat(path)).isDirectory()) return;
    if (codeOf(error) !== 'ENOENT' || (await exists(dirname(path)))) throw error;
    await makeFolder(dirname(path), mode);
    await makeOne(path, mode);
  }
}

function makeOne(path: string, mode: number): Promise<void> {
  return inTrueFolder(path, async (at) => {
    await mkdir(at, { mode });
    await giveOver(at);
  });
}

/**
 * Whose a folder is, theirs is what root makes in it: whoever keeps the map goes on without root, and the builtin front, which runs as that user, reads its
 * keys. Nobody else may do that, so for them nothing is to be done.
 */
export async function giveOver(path: string): Promise<void> {
  const owner = await ownerIn(dirname(path));
  // Never of what a link leads to.
  if (owner !== null) await lchown(path, owner.uid, owner.gid);
}

/** Null when what is made there has the right owner already. */
async function ownerIn(folder: string): Promise<{ uid: number; gid: number } | null> {
  if (process.getuid?.() !== 0) return null;
  const { uid, gid } = await stat(folder);
  return uid === 0 ? null : { uid, gid };
}

function exists(path: string): Promise<boolean> {
  return lstat(path).then(
    () => true,
    () => false,
  );
}

/**
 * Writes a whole file or nothing: a new file beside it, made durable, then renamed over it. A link in its place is
 * replaced, never followed. The mode is there from the first instant.
 */
export async function writeWhole(path: string, content: string, mode = 0o644): Promise<void> {
  try {
    await inTrueFolder(path, (at) => replaceBy(at, (fresh) => makeNew(fresh, content, mode)));
  } catch (cause) {
    throw writeTrouble(path, cause);
  }
}

/** Makes something under a name of its own, and renames it over what stands at the path. */
async function replaceBy(path: string, make: (fresh: string) => Promise<void>): Promise<void> {
  const fresh = freshName(path);
  try {
    await make(fresh);
    await rename(fresh, path);
  } catch (cause) {
    await rm(fresh, { force: true }).catch(() => undefined);
    throw cause;
  }
  await syncFolder(dirname(path));
}

/**
 * Brings many files of one folder to what they should be, which are for people to read and can be made anew at any time: nothing waits for the disk, nothing
 * is renamed, and what was cut short is made good the next time.
 */
export async function writeLightly(folder: string, files: ReadonlyMap<string, string>): Promise<void> {
  const owner = await ownerIn(folder);
  const writeAll = (first: string): Promise<void> => {
    for (const [name, content] of files) {
      const path = join(dirname(first), name);
      if (textOf(path) === content) continue;
      try {
        // Whatever stands there, a link too, is not written to.
        rmSync(path, { force: true });
        writeFileSync(path, content, { flag: 'wx', mode: 0o644 });
        if (owner !== null) lchownSync(path, owner.uid, owner.gid);
      } catch (cause) {
        throw writeTrouble(join(folder, name), cause);
      }
    }
    return Promise.resolve();
  };
  await inTrueFolder(join(folder, 'first'), writeAll);
}

/** Null when it is not there, or is a link, or may not be read. */
function textOf(path: string): string | null {
  try {
    const file = openSync(path, constants.O_RDONLY | constants.O_NOFOLLOW);
    try {
      return readFileSync(file, 'utf8');
    } finally {
      closeSync(file);
    }
  } catch {
    return null;
  }
}

/** Writes a whole file where none may be: the file appears complete or not at all, and one that is there stays. */
export async function writeFirst(path: string, content: string, mode = 0o644): Promise<void> {
  try {
    await inTrueFolder(path, async (at) => {
      const fresh = freshName(at);
      try {
        await makeNew(fresh, content, mode);
        await link(fresh, at);
      } finally {
        // On a disk that has just turned read-only this fails too; the first reason is the one to tell.
        await rm(fresh, { force: true }).catch(() => undefined);
      }
    });
  } catch (cause) {
    throw writeTrouble(path, cause);
  }
}

/** Writes a new file and makes it durable. Fails when anything stands there. */
export function writeNew(path: string, content: string | Buffer, mode = 0o644): Promise<void> {
  return inTrueFolder(path, (at) => makeNew(at, content, mode));
}

async function makeNew(path: string, content: string | Buffer, mode: number): Promise<void> {
  const file = await open(path, 'wx', mode);
  try {
    const owner = await ownerIn(dirname(path));
    if (owner !== null) await file.chown(owner.uid, owner.gid);
    await file.writeFile(content);
    // The process mask may have taken bits away that a server's own user needs.
    await file.chmod(mode);
    await file.sync();
  } finally {
    await file.close();
  }
}

/**
 * Adds a line to a file, or begins one with it, and makes it durable. A line that was cut before, by a full disk or the power, ends there and takes nothing of
 * this one with it.
 *
 * @throws Trouble `cannot-write`, also where a link stands in its place
 */
export async function addLine(path: string, line: string, mode: number): Promise<void> {
  try {
    await inTrueFolder(path, (at) => addTo(at, line, mode));
  } catch (cause) {
    throw writeTrouble(path, cause);
  }
}

async function addTo(path: string, line: string, mode: number): Promise<void> {
  const { O_APPEND, O_CREAT, O_NOFOLLOW, O_NONBLOCK, O_RDWR } = constants;
  const file = await open(path, O_APPEND | O_CREAT | O_NOFOLLOW | O_NONBLOCK | O_RDWR, mode);
  try {
    const { size, nlink } = await file.stat();
    const owner = await ownerIn(dirname(path));
    // One that has another name, too, is not only what it seems to be.
    if (owner !== null && nlink !== 1) throw new Error('it has a second name (a hard link)');
    const { buffer } = await file.read(Buffer.alloc(1), 0, 1, Math.max(0, size - 1));
    const isCut = size > 0 && buffer[0] !== 0x0a;
    await file.writeFile(`${isCut ? '\n' : ''}${line}\n`);
    await file.sync();
    if (owner !== null) await file.chown(owner.uid, owner.gid);
  } finally {
    await file.close();
  }
}

/** Points a relative link at `target` in one step. */
export async function switchLink(path: string, target: string): Promise<void> {
  try {
    await inTrueFolder(path, (at) =>
      replaceBy(at, async (fresh) => {
        await symlink(target, fresh);
        await giveOver(fresh);
      }),
    );
  } catch (cause) {
    throw writeTrouble(path, cause);
  }
}

/** Makes renames in a folder durable. */
export async function syncFolder(path: string): Promise<void> {
  const folder = await open(path, 'r');
  try {
    await folder.sync();
  } finally {
    await folder.close();
  }
}

function freshName(path: string): string {
  return join(dirname(path), `.${basename(path)}.${randomBytes(6).toString('hex')}.new`);
}
