import { chmod, chown, copyFile, lstat, readFile, readlink, realpath, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { readFrontJournal } from '../../adapters/files/editions.ts';
import { ensureFolder, switchLink, writeWhole } from '../../adapters/files/safe-write.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { replacedBy, type Replaced } from '../../core/live/front-journal.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { prepare } from '../../core/verdict/decide.ts';
import type { Site } from '../map/load.ts';

/** @property made path of the file that takes its place */
interface Prepared extends Replaced {
  made: string;
}

/**
 * Works out what files look like with all that is in the way of the map switched off, and keeps them as they are. Nothing of theirs is changed yet.
 *
 * @throws Trouble `cannot-replace`
 */
export async function prepareReplacing(
  paths: readonly string[],
  { site, edition }: { site: Site; edition: number },
): Promise<Prepared[]> {
  const { plan, paths: state } = site;
  const { switchOff, title } = programOf(plan.front.proxy);
  const { roadOf } = prepare(plan);
  const covers = (name: string): boolean => roadOf(name.replace(/^\./, '')) !== null;
  const ports = [plan.front.listen.http, plan.front.listen.https];
  const folder = join(state.front, 'replaced');
  const prepared: Prepared[] = [];
  for (const [index, path] of paths.entries()) {
    const text = await readFile(path, 'utf8').catch((cause: unknown) => {
      throw cannot(path, reasonOf(cause));
    });
    const made = switchOff?.make(text, { covers, ports }) ?? { why: `files of ${title} cannot be switched off` };
    if ('why' in made) throw cannot(path, made.why);
    await ensureFolder(folder, 0o700);
    const name = `${editionNumber(edition)}-${String(index + 1)}`;
    const [kept, fresh] = [join(folder, name), join(folder, `${name}.new`)];
    await copyFile(path, kept);
    await writeWhole(fresh, made.text, 0o600);
    const link = (await lstat(path)).isSymbolicLink() ? await readlink(path) : null;
    prepared.push({ path, kept, link, made: fresh });
  }
  return prepared;
}

function cannot(path: string, why: string): Trouble {
  return new Trouble({
    code: 'cannot-replace',
    message: `Nothing can be switched off in ${path}: ${why}. Nothing was changed.`,
    remedy: 'Change that file by hand, or put those names on the map. What is in the way: mile-marker check',
    exitCode: 2,
  });
}

/** Puts the new file in the place of the old; of a link, in the place of the link. */
export async function putReplaced({ path, made }: Prepared): Promise<void> {
  await putFile(path, await readFile(made, 'utf8'));
  await rm(made, { force: true });
}

/** As whose and with what rights the file was there. */
async function putFile(path: string, text: string): Promise<void> {
  const { mode, uid, gid } = await lstat(await realpath(path));
  await writeWhole(path, text, mode & 0o777);
  await chmod(path, mode & 0o777);
  if (process.getuid?.() === 0) await chown(path, uid, gid);
}

/** Files that are switched off by an edition, or by any; not those that somebody changed since. The oldest first. */
export async function switchedOff(
  { folder, proxy }: { folder: string; proxy: ProxyName },
  edition: number | null,
): Promise<Replaced[]> {
  const isMade = programOf(proxy).switchOff?.isMade ?? (() => false);
  const entries = replacedBy(await readFrontJournal(folder), edition);
  const texts = await Promise.all(entries.map(({ path }) => readFile(path, 'utf8').catch(() => '')));
  return entries.filter((_, index) => isMade(texts[index] ?? ''));
}

/**
 * Brings files back as they were: those of one edition, or of all. One that somebody changed since is left as it is.
 *
 * @param place of the front
 */
export async function bringBack(place: { folder: string; proxy: ProxyName }, edition: number | null): Promise<void> {
  // The last one first, so that the oldest text is the one that stays.
  for (const { path, kept, link } of (await switchedOff(place, edition)).reverse()) {
    if (link !== null) await switchLink(path, link);
    else await putFile(path, await readFile(kept, 'utf8'));
  }
}
