import { readFile } from 'node:fs/promises';
import { newestRun, verifyEntry, type NewestRun, type VerifyEntry } from '../../core/legs/journal.ts';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { addToJournal, readJournal } from './journal.ts';
import { writeWhole } from './safe-write.ts';
import type { StatePaths } from './state-folder.ts';

/** A year of nights. When half as many more have come, the oldest go. */
const mostRuns = 400;

/** Keeps a run of `verify` over the whole map. Returns the run before; null when there is none. @throws Trouble */
export async function keepRun(
  paths: Pick<StatePaths, 'verify' | 'newest'>,
  entry: VerifyEntry,
  newest: NewestRun,
): Promise<VerifyEntry | null> {
  const before = await readRuns(paths);
  await writeWhole(paths.newest, `${JSON.stringify(newest)}\n`, 0o600);
  await addToJournal(paths.verify, entry);
  if (before.length >= mostRuns * 1.5) {
    const kept = [...before, entry].slice(-mostRuns);
    await writeWhole(paths.verify, kept.map((one) => `${JSON.stringify(one)}\n`).join(''), 0o600);
  }
  return before[before.length - 1] ?? null;
}

/** Every run that is kept, oldest first. @throws Trouble `journal-unreadable` */
export function readRuns({ verify }: Pick<StatePaths, 'verify'>): Promise<VerifyEntry[]> {
  return readJournal(verify, verifyEntry);
}

/** The newest run in full; null when there was none, or none that this version understands. @throws Trouble `run-unreadable` */
export async function readNewest({ newest }: Pick<StatePaths, 'newest'>): Promise<NewestRun | null> {
  const text = await readFile(newest, 'utf8').catch((cause: unknown) => {
    if (codeOf(cause) === 'ENOENT') return '';
    const message = `The newest run, ${newest}, cannot be read: ${reasonOf(cause)}.`;
    throw new Trouble({ code: 'run-unreadable', message, remedy: 'Run this as the user who runs verify.', cause });
  });
  try {
    return newestRun.safeParse(JSON.parse(text)).data ?? null;
  } catch {
    return null;
  }
}
