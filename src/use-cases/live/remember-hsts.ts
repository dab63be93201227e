import { addToJournal, readJournal } from '../../adapters/files/journal.ts';
import type { StatePaths } from '../../adapters/files/state-folder.ts';
import { hstsChanges, hstsEntry } from '../../core/hsts.ts';
import type { Plan } from '../../core/plan/plan.ts';

/** Notes what browsers are told from now on, since they remember it longer than any file here. */
export async function rememberHsts({ roads }: Plan, paths: StatePaths, now: Date): Promise<void> {
  const sent = roads.map(({ name, rules, paused }) => ({ name, maxAge: paused ? null : rules.hsts }));
  const before = await readJournal(paths.hsts, hstsEntry);
  for (const entry of hstsChanges(before, sent, now.toISOString())) await addToJournal(paths.hsts, entry);
}
