import { randomBytes } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { noIdentity, type OwnFiles } from '../../core/proxies/whose.ts';
import { writeFirst, writeWhole } from './safe-write.ts';
import { ensureState, type StatePaths } from './state-folder.ts';
import { codeOf, Trouble } from '../trouble.ts';

const form = /^[0-9a-f]{8}$/;

type Where = Pick<StatePaths, 'root' | 'front' | 'identity'>;

/**
 * The identity of a map: what tells its written files, and the names in them, from those of other maps in one server. It is made once and stays, wherever the
 * folder is moved to and whoever looks at it from where.
 *
 * @returns `noIdentity` before it was made. Up to version 1.0.0 there was none; what the newest edition bears in its place counts then.
 */
export function readIdentity(paths: Where): string {
  const kept = textOf(paths.identity)?.trim();
  if (kept !== undefined && form.test(kept)) return kept;
  return formerIdentity(paths) ?? noIdentity;
}

/** Makes it unless it is there. @returns it */
export async function ensureIdentity(paths: StatePaths): Promise<string> {
  const there = readIdentity(paths);
  if (textOf(paths.identity)?.trim() === there) return there;
  await ensureState(paths);
  const made = there === noIdentity ? freshIdentity() : there;
  try {
    await writeFirst(paths.identity, `${made}\n`);
    return made;
  } catch (error) {
    // Another one was quicker; or what stands there is no identity.
    const kept = textOf(paths.identity)?.trim() ?? '';
    if (form.test(kept)) return kept;
    if (!(error instanceof Trouble) || codeOf(error.cause) !== 'EEXIST') throw error;
    await writeWhole(paths.identity, `${made}\n`);
    return made;
  }
}

/** Another one in its place, for a folder that is a copy. @returns it */
export async function renewIdentity(paths: StatePaths): Promise<string> {
  await ensureState(paths);
  const made = freshIdentity();
  await writeWhole(paths.identity, `${made}\n`);
  return made;
}

function freshIdentity(): string {
  const made = randomBytes(4).toString('hex');
  return made === noIdentity ? freshIdentity() : made;
}

/** Files of the map, as a server may call them: by the folder's name as it is used, or by what that really is. */
export function ownFiles(id: string, { front }: Pick<StatePaths, 'front'>): OwnFiles {
  const folders = [front, realOf(front)];
  const isBelow = (file: string): boolean => folders.some((folder) => file.startsWith(`${folder}/`));
  return { id, holds: (file) => isBelow(file) || isBelow(realOf(file)) };
}

function realOf(path: string): string {
  try {
    return realpathSync(path);
  } catch {
    // What is gone may still be read by a server; its folder says where it was.
    return existsSync(dirname(path)) ? join(realpathSync(dirname(path)), path.slice(dirname(path).length)) : path;
  }
}

function formerIdentity({ front }: Where): string | null {
  const current = join(front, 'current');
  for (const name of namesIn(current)) {
    const [head = ''] = (textOf(join(current, name)) ?? '').trimStart().split('\n');
    const id = /\(map ([0-9a-f]{8})\)/.exec(head)?.[1];
    if (id !== undefined) return id;
  }
  return null;
}

function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}

function textOf(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
}
