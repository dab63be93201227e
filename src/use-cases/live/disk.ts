import { readFile, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { assertMayChange, isBounded, notRoots } from '../../adapters/files/bounds.ts';
import { readEdition, readLink, switchEdition, switchToNone } from '../../adapters/files/editions.ts';
import { forget, keptPath, putOff, restoreFile, type Restored } from '../../adapters/files/kept-files.ts';
import { syncFolder, writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { codeOf } from '../../adapters/trouble.ts';
import type { MadeFile, Replaced } from '../../core/live/entries.ts';
import { allPrograms, programOf } from '../../core/proxies/programs.ts';
import type { Change } from './change.ts';
import type { World } from './front-moves.ts';

/** What a change does on the disk, forward and back. Every step may be done again: what stands already stays. */

/** First line of every file that is made so that a proxy reads ours. */
const madeBy = '# Made by `mile-marker install`; `mile-marker undo front` removes it.\n';

export function includeText(line: string): string {
  return `${madeBy}${line}\n`;
}

/** Before the old front is told: it reads nothing of ours any more, files of others are as they shall be, and `current` leads to the new edition. */
export async function toNewEdition(change: Change, world: World): Promise<void> {
  const { removes, restores, replaces, to, place } = change;
  await assertMayAll(change);
  for (const one of removes) await removeMade(one);
  await bringBack(restores, place.folder);
  for (const one of replaces) await putOff(one, place.folder);
  if (to === null && !change.keepsLink) await switchToNone(place.folder);
  else if (to !== null) await pointTo(to, place.folder, world);
}

/** Before the new front is told, and after the old one is gone: by what it reads ours. */
export async function toNewFiles(change: Change): Promise<void> {
  const { makes } = change;
  await assertMayAll(change);
  for (const { path, content } of makes) await writeWhole(path, content);
}

/** All of it back, in reverse, but for a file that somebody had removed and what was live needs. @returns files that stay as they are, since somebody changed them meanwhile */
export async function toOldDisk(change: Change, world: World): Promise<Replaced[]> {
  const { makes, removes, replaces, restores, was, place } = change;
  await assertMayAll(change);
  for (const one of makes) await (staysRead(change) ? putMade(one) : removeMade(one));
  const left = await bringBack([...replaces].reverse(), place.folder);
  const before = was.current === null ? null : await readEdition(place.folder, was.current).catch(() => null);
  if (was.current === null) await switchToNone(place.folder);
  else if (before !== null) await pointTo(before, place.folder, world);
  for (const one of restores) await putOff(one, place.folder);
  for (const { path, content } of removes) if (content !== '') await writeWhole(path, content);
  return left;
}

/**
 * As root in a map of somebody else: files of the servers' own folders alone, and of our own words alone.
 *
 * @throws Trouble `not-roots`
 */
async function assertMayAll({ makes, removes, replaces, restores, place: { folder } }: Change): Promise<void> {
  const within = allPrograms.flatMap(({ configFolders }) => configFolders);
  for (const { path } of [...makes, ...removes, ...replaces, ...restores]) await assertMayChange(path, folder, within);
  if (!isBounded(folder)) return;
  for (const { path, content, proxy } of [...makes, ...removes]) {
    const line = programOf(proxy).renderer?.includeLine({ current: join(folder, 'current') })?.line ?? '';
    if (content !== '' && content !== includeText(line)) throw notRoots(path, 'is not as root wrote it');
  }
}

async function pointTo(edition: { number: number; digest: string }, folder: string, world: World): Promise<void> {
  if ((await readLink(folder)) === edition.number) return;
  await switchEdition(folder, edition, world.now().toISOString());
}

/** By the file that it makes the proxy reads what was live before, too, and somebody had removed it: going back without it would end the front. */
function staysRead({ left, from }: Change): boolean {
  return left === null && from !== null;
}

async function putMade({ path, content }: MadeFile): Promise<void> {
  if (content !== '' && (await textOf(path)) === null) await writeWhole(path, content);
}

/** Whether all that a change does on the disk is done. */
export async function isOnDisk({ makes, removes, replaces, to, place, keepsLink }: Change): Promise<boolean> {
  const texts = await Promise.all([...makes, ...removes].map(({ path }) => textOf(path)));
  const areMade = makes.every(
    ({ content }, index) => texts[index] !== null && (content === '' || texts[index] === content),
  );
  const areGone = removes.every((_, index) => texts[makes.length + index] === null);
  const areOff = await Promise.all(
    replaces.map(async ({ path, off }) => {
      if (off === undefined) return true;
      const [there, wanted] = await Promise.all([textOf(path), textOf(keptPath(place.folder, off.name))]);
      return there !== null && there === wanted;
    }),
  );
  const isCurrent = keepsLink || (await readLink(place.folder)) === (to?.number ?? null);
  return areMade && areGone && areOff.every((one) => one) && isCurrent;
}

/** @returns files that somebody changed since; they stay as they are */
async function bringBack(files: readonly Replaced[], folder: string): Promise<Replaced[]> {
  const left: Replaced[] = [];
  for (const one of files) {
    const restored: Restored = await restoreFile(one, folder, isSwitchedOff);
    if (restored === 'changed') left.push(one);
  }
  return left;
}

function isSwitchedOff(bytes: Buffer): boolean {
  const text = bytes.toString('latin1');
  return allPrograms.some(({ switchOff }) => switchOff?.isMade(text) === true);
}

/** Copies of files that are as they were, and will not be needed again. */
export async function clearKept(files: readonly Replaced[], folder: string): Promise<void> {
  const back = await Promise.all(files.map(async (one) => ((await isThere(one, folder)) ? [one] : [])));
  await forget(back.flat(), folder);
}

/** Whether what is kept is no more than what lies at its place. */
async function isThere({ path, kept }: Replaced, folder: string): Promise<boolean> {
  const [there, before] = await Promise.all([bytesOf(path), bytesOf(keptPath(folder, kept))]);
  return there !== null && before !== null && there.equals(before);
}

/** What others added to such a file stays in it; only our lines go. */
async function removeMade({ path, content }: MadeFile): Promise<void> {
  const text = await textOf(path);
  if (text === null) return;
  const ours = content === '' ? text.slice(0, text.indexOf('\n', madeBy.length) + 1) : content;
  if (!text.startsWith(madeBy)) return;
  const rest = text.startsWith(ours) ? text.slice(ours.length) : withoutLines(text, ours);
  if (rest.trim() !== '') return writeWhole(path, rest);
  await rm(path, { force: true }).catch((cause: unknown) => {
    throw writeTrouble(path, cause);
  });
  await syncFolder(dirname(path)).catch(() => undefined);
}

function withoutLines(text: string, ours: string): string {
  const own = new Set(ours.split('\n').filter((line) => line !== ''));
  return text
    .split('\n')
    .filter((line) => !own.has(line))
    .join('\n');
}

async function textOf(path: string): Promise<string | null> {
  return (await bytesOf(path))?.toString('latin1') ?? null;
}

async function bytesOf(path: string): Promise<Buffer | null> {
  try {
    return await readFile(path);
  } catch (error) {
    if (codeOf(error) === 'ENOENT') return null;
    throw error;
  }
}
