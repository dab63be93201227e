import { access, readdir, readFile, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { editionFolder, editionsIn } from '../../adapters/files/editions.ts';
import { filesOfMap } from '../../adapters/files/files-of-map.ts';
import { addToJournal, readJournal } from '../../adapters/files/journal.ts';
import { readRoadLog } from '../../adapters/files/road-logs.ts';
import { writeWhole } from '../../adapters/files/safe-write.ts';
import type { StatePaths } from '../../adapters/files/state-folder.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { forgotten } from '../../core/forgotten/forgotten.ts';
import type { LogTold } from '../../core/forgotten/log.ts';
import { sinceChanges, sinceEntry, sinceWhen } from '../../core/forgotten/since.ts';
import { planPath, readPlan } from '../../core/proxies/builtin/renderer.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { Site } from './load.ts';

/** Notes since when roads are open to everyone, or paused. */
export async function rememberSince({ roads }: Plan, { since }: StatePaths, now: Date): Promise<void> {
  const before = await readJournal(since, sinceEntry);
  for (const entry of sinceChanges(before, roads, now.toISOString())) await addToJournal(since, entry);
}

const month = 30 * 86_400_000;

/** What has stood open, unused or half done for a month or longer. */
export async function findForgotten({ plan, paths, mapFile }: Site, now: Date): Promise<Finding[]> {
  const logs = new Map<string, LogTold>();
  for (const { name, rules } of plan.roads) {
    const told = typeof rules.log === 'string' ? await readRoadLog(rules.log) : null;
    if (told !== null) logs.set(name, told);
  }
  const people = new Map<string, string[]>();
  for (const [path, file] of filesOfMap(plan, mapFile).people) {
    // Whoever was added a week ago cannot have been missed for a month.
    const changed = (await stat(path).catch(() => null))?.mtimeMs ?? now.getTime();
    if (file.state === 'read' && now.getTime() - changed >= month)
      people.set(
        path,
        file.file.people.map(({ name }) => name),
      );
  }
  const since = sinceWhen(await readJournal(paths.since, sinceEntry).catch(() => []));
  return forgotten({ plan, since, logs, people, unused: await unusedPairs(plan, paths), now: now.getTime() });
}

/** Folders of certificates that the plan does not have, and of which no copies go anywhere. */
async function unusedPairs({ certificates }: Plan, paths: StatePaths): Promise<string[]> {
  const names = await readdir(paths.certificates).catch(() => []);
  const folders = names.filter((name) => !name.startsWith('.') && !certificates.some(({ id }) => id === name));
  const own = await Promise.all(
    folders.sort().map(async (name) => {
      const folder = join(paths.certificates, name);
      return (await isThere(join(folder, 'current'))) && !(await isThere(join(folder, 'exports.json'))) ? [folder] : [];
    }),
  );
  const found = own.flat();
  if (found.length === 0) return [];
  // What an edition needs that one can go back to is needed.
  const inEditions = await certificatesOfEditions(paths);
  return found.filter((folder) => !inEditions.has(folder));
}

async function certificatesOfEditions({ front }: StatePaths): Promise<Set<string>> {
  const used = new Set<string>();
  for (const number of await editionsIn(front)) {
    const text = await readFile(join(editionFolder(front, number), planPath), 'utf8').catch(() => '');
    const planned = readPlan(text)?.certificates ?? [];
    for (const { certificateFile } of planned) used.add(dirname(dirname(certificateFile)));
  }
  return used;
}

function isThere(path: string): Promise<boolean> {
  return access(path).then(
    () => true,
    () => false,
  );
}

/** The same for a run of every night, which says it once a month: nothing in between. */
export async function monthlyForgotten(site: Site, now: Date): Promise<Finding[]> {
  const { reminded } = site.paths;
  const last = Date.parse((await readFile(reminded, 'utf8').catch(() => '')).trim());
  if (now.getTime() - last < month) return [];
  const found = await findForgotten(site, now);
  // What cannot be noted is said again the next night, which is better than never.
  if (found.length > 0) await writeWhole(reminded, `${now.toISOString()}\n`).catch(() => undefined);
  return found;
}
