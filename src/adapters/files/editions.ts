import { createHash } from 'node:crypto';
import { lstat, readdir, readFile, readlink, rename, rm } from 'node:fs/promises';
import { dirname, join, relative } from 'node:path';
import { frontEntry, type FrontEntry } from '../../core/live/entries.ts';
import { shortened } from '../../core/live/front-journal.ts';
import { stateOf, type FrontState } from '../../core/live/state.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import type { WrittenFile } from '../../core/proxies/renderer.ts';
import { codeOf, Trouble } from '../trouble.ts';
import { readJournal } from './journal.ts';
import { addLine, ensureFolder, switchLink, syncFolder, writeNew, writeTrouble, writeWhole } from './safe-write.ts';

/** A written state of the front's files. `digest` covers every file but the mark's own. */
export interface Edition {
  number: number;
  digest: string;
  files: WrittenFile[];
  /** SHA-256 of each file as it was written, by its path. */
  sums: ReadonlyMap<string, string>;
}

const marked = /^edition (\d{4,}) (sha256:[0-9a-f]{64})$/m;

/** @property changed paths of files that are not as they were written @property missing those that are gone */
interface Altered {
  changed: string[];
  missing: string[];
}

/** Which files of an edition are no more as they were written. Editions of earlier versions kept no sums. */
export function alteredFiles({ files, sums }: Edition): Altered {
  const there = new Map(files.map(({ path, content }) => [path, sumOf(content)]));
  const listed = [...sums];
  return {
    changed: listed.flatMap(([path, sum]) => (there.has(path) && there.get(path) !== sum ? [path] : [])),
    missing: listed.flatMap(([path]) => (there.has(path) ? [] : [path])),
  };
}

function sumOf(content: string): string {
  return createHash('sha256').update(content).digest('hex');
}

/** The edition mark: what the mark listener answers, and the first line of `mark.txt`. */
export function markText({ number, digest }: Pick<Edition, 'number' | 'digest'>): string {
  return `edition ${editionNumber(number)} ${digest}`;
}

/**
 * The edition that `current` points at, or null before the first.
 *
 * @throws Trouble `edition-unreadable` when the folder was changed by something else
 */
export async function readCurrent(folder: string): Promise<Edition | null> {
  const target = await linkTarget(join(folder, 'current'));
  // Up to version 0.1 the folder had another name; what is in it is left alone, and the first edition comes beside it.
  if (target === null || target.startsWith('generations/')) return null;
  // What is gone is no edition any more, and the next one comes in its place.
  if ((await lstat(join(folder, target)).catch(() => null)) === null) return null;
  return read(folder, join(folder, target));
}

/** Number of the edition that `current` leads to, whether it lies there or not; null when it leads nowhere. */
export async function readLink(folder: string): Promise<number | null> {
  const number = /^editions\/(\d{4,})$/.exec((await linkTarget(join(folder, 'current'))) ?? '')?.[1];
  return number === undefined ? null : Number(number);
}

async function read(folder: string, own: string): Promise<Edition> {
  try {
    const text = await readFile(join(own, 'mark.txt'), 'utf8');
    const mark = marked.exec(text);
    if (mark === null) throw new Error('its mark.txt names no edition');
    const sums = new Map(
      [...text.matchAll(/^([0-9a-f]{64}) {2}(.+)$/gm)].map(([, sum = '', path = '']) => [path, sum]),
    );
    const { files, barred } = await readTree(own);
    for (const path of barred) sums.delete(path);
    return { number: Number(mark[1]), digest: mark[2] ?? '', files, sums };
  } catch (cause) {
    const message = `The edition ${own} cannot be read.`;
    const remedy = `Remove the link ${join(folder, 'current')}, then: mile-marker write. Older editions stay.`;
    throw new Trouble({ code: 'edition-unreadable', message, remedy, cause });
  }
}

async function linkTarget(path: string): Promise<string | null> {
  try {
    return await readlink(path);
  } catch (cause) {
    if (codeOf(cause) === 'ENOENT') return null;
    if (codeOf(cause) !== 'EINVAL') throw writeTrouble(path, cause);
    const remedy = 'Move it away: this must be the link to the newest edition.';
    throw new Trouble({ code: 'current-not-link', message: `${path} is not a link.`, remedy, cause });
  }
}

/** @property barred of the outcome: paths of files that are for others to read, as people with their hashes are */
async function readTree(folder: string): Promise<{ files: WrittenFile[]; barred: string[] }> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  const paths = entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name));
  const barred: string[] = [];
  const files = await Promise.all(
    paths.sort().map(async (path): Promise<WrittenFile[]> => {
      try {
        const [content, { mode }] = await Promise.all([readFile(path, 'utf8'), lstat(path)]);
        return [{ path: relative(folder, path), content, ...((mode & 0o077) === 0 ? { secret: true } : {}) }];
      } catch (error) {
        if (codeOf(error) !== 'EACCES') throw error;
        barred.push(relative(folder, path));
        return [];
      }
    }),
  );
  return { files: files.flat(), barred };
}

/**
 * The number that the next edition will have. Abandoned ones are counted too, and so are those that the journal knows and that a front runs, so that no number
 * is used twice.
 *
 * @param above a number that is used, whether it lies here or not
 */
export async function nextNumber(folder: string, above = 0): Promise<number> {
  const { highest } = await readState(folder);
  return 1 + Math.max(above, highest, ...(await numbersIn(folder)));
}

async function numbersIn(folder: string): Promise<number[]> {
  try {
    return (await readdir(join(folder, 'editions'))).filter((name) => /^\d{4,}$/.test(name)).map(Number);
  } catch (cause) {
    if (codeOf(cause) === 'ENOENT') return [];
    throw writeTrouble(join(folder, 'editions'), cause);
  }
}

/**
 * Writes an edition whole and makes it durable. Killed at any point it leaves either none of it or all, and the next run clears what was half-made.
 *
 * @param now time for the journal, ISO 8601
 */
export async function prepareEdition(folder: string, edition: Omit<Edition, 'sums'>, now: string): Promise<void> {
  const { number, digest, files } = edition;
  const editions = join(folder, 'editions');
  await ensureFolder(folder);
  await ensureFolder(editions);
  await clearHalfMade(editions);
  const half = join(editions, `.${editionNumber(number)}.new`);
  try {
    await ensureFolder(half);
    for (const { path, content, secret } of files) {
      await ensureFolder(dirname(join(half, path)));
      await writeNew(join(half, path), content, secret === true ? 0o600 : undefined);
    }
    // As sha256sum(1) has them.
    const sums = files.map(({ path, content }) => `${sumOf(content)}  ${path}\n`);
    await writeNew(join(half, 'mark.txt'), `${markText(edition)}\n${sums.join('')}`);
    for (const inner of new Set(files.map(({ path }) => dirname(join(half, path))))) await syncFolder(inner);
    await rename(half, join(editions, editionNumber(number)));
  } catch (cause) {
    // On a disk that has just turned read-only this fails too; the first reason is the one to tell.
    await rm(half, { recursive: true, force: true }).catch(() => undefined);
    throw writeTrouble(editions, cause);
  }
  await syncFolder(editions);
  await noteFront(folder, { event: 'prepared', at: now, edition: number, digest });
}

/** Points `current` at an edition that is there, in one step. */
export async function switchEdition(
  folder: string,
  { number, digest }: Pick<Edition, 'number' | 'digest'>,
  now: string,
): Promise<void> {
  await switchLink(join(folder, 'current'), `editions/${editionNumber(number)}`);
  await noteFront(folder, { event: 'switched', at: now, edition: number, digest });
}

/** Takes `current` away: nothing counts. */
export async function switchToNone(folder: string): Promise<void> {
  await rm(join(folder, 'current'), { force: true }).catch((cause: unknown) => {
    throw writeTrouble(join(folder, 'current'), cause);
  });
  await syncFolder(folder);
}

/** Numbers of the editions that are there whole, oldest first. */
export async function editionsIn(folder: string): Promise<number[]> {
  return (await numbersIn(folder).catch(() => [])).sort((a, b) => a - b);
}

/** Removes an edition that nothing leads to. One that was cut short here is half-made, and cleared by the next. */
export async function removeEdition(folder: string, number: number): Promise<void> {
  const half = join(folder, 'editions', `.${editionNumber(number)}.new`);
  try {
    await rename(editionFolder(folder, number), half);
    await rm(half, { recursive: true, force: true });
  } catch (cause) {
    throw writeTrouble(half, cause);
  }
}

/** @throws Trouble `edition-unreadable`, `no-such-edition` */
export async function readEdition(folder: string, number: number): Promise<Edition> {
  const own = editionFolder(folder, number);
  if ((await lstat(own).catch(() => null)) !== null) return read(folder, own);
  const there = (await editionsIn(folder)).map(editionNumber).join(', ');
  throw new Trouble({
    code: 'no-such-edition',
    message: `There is no edition ${editionNumber(number)}.`,
    remedy: there === '' ? 'None was written yet: mile-marker write' : `There are: ${there}`,
    exitCode: 2,
  });
}

export function editionFolder(folder: string, number: number): string {
  return join(folder, 'editions', editionNumber(number));
}

async function clearHalfMade(editions: string): Promise<void> {
  for (const name of await readdir(editions)) {
    if (!/^\.\d{4,}\.new$/.test(name)) continue;
    await rm(join(editions, name), { recursive: true, force: true }).catch((cause: unknown) => {
      throw writeTrouble(join(editions, name), cause);
    });
  }
}

/** The journal is only ever added to; a switch that was cut short is seen as `prepared` without `switched`. */
export async function noteFront(folder: string, entry: FrontEntry): Promise<void> {
  await addLine(frontJournal(folder), JSON.stringify(entry), 0o644);
}

/** Keeps a journal from growing for ever. */
export async function shortenFrontJournal(folder: string): Promise<void> {
  const shorter = shortened(await readFrontJournal(folder));
  if (shorter === null) return;
  await writeWhole(frontJournal(folder), shorter.map((entry) => `${JSON.stringify(entry)}\n`).join(''));
}

/** What happened to the front so far, oldest first. */
export function readFrontJournal(folder: string): Promise<FrontEntry[]> {
  return readJournal(frontJournal(folder), frontEntry);
}

/** What is live by the journal. */
export async function readState(folder: string): Promise<FrontState> {
  return stateOf(await readFrontJournal(folder));
}

function frontJournal(folder: string): string {
  return join(folder, 'journal.jsonl');
}
