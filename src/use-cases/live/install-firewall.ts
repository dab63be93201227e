import { createHash, randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ensureFolder, writeWhole } from '../../adapters/files/safe-write.ts';
import { firewallJournal, readFirewallJournal } from '../../adapters/files/firewall-journal.ts';
import { addToJournal } from '../../adapters/files/journal.ts';
import { readCurrent } from '../../adapters/files/editions.ts';
import { ensureState, type StatePaths } from '../../adapters/files/state-folder.ts';
import { deleteRules, hasRules, loadCommand, loadRules } from '../../adapters/host/firewall.ts';
import { runLater } from '../../adapters/processes/run-later.ts';
import { hasSystemd, removeUnits, setUpUnits } from '../../adapters/host/units.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { firewallUnit, standingOf, type FirewallEntry, type Standing } from '../../core/way-in/trial.ts';

const unit = 'mile-marker-way-in.service';

interface Shared {
  paths: StatePaths;
  now: Date;
}

interface TrialInput extends Shared {
  seconds: number;
  /** Words of the command that runs `undo firewall` for this map. */
  undo: readonly string[];
}

/** @property until when the rules go away by themselves @property again the same rules are kept already */
type TrialResult = { again: true } | { again: false; until: Date };

/**
 * Loads the written rules on trial: first what takes them away again is set going, so that nobody locks himself out for longer than
 * the trial takes.
 *
 * @throws Trouble `nothing-written`, `nft-missing`, `nft-refuses`
 */
export async function tryFirewall({ paths, now, seconds, undo }: TrialInput): Promise<TrialResult> {
  const text = await writtenRules(paths);
  const rules = digest(text);
  const standing = standingOf(await readFirewallJournal(paths));
  if (standing.stands === 'kept' && standing.rules === rules && (await hasRules())) return { again: true };
  if (standing.stands === 'trial') await undoFirewall({ paths, now, trial: standing.trial });
  await ensureState(paths);
  await ensureFolder(paths.firewall, 0o700);
  await writeWhole(triedFile(paths), text, 0o600);
  const trial = randomBytes(8).toString('hex');
  const until = new Date(now.getTime() + seconds * 1000);
  await record(paths, { event: 'tried', at: now.toISOString(), trial, rules, until: until.toISOString() });
  try {
    await runLater([...undo, '--trial', trial], seconds);
    await loadRules(triedFile(paths));
  } catch (error) {
    await record(paths, { event: 'undone', at: now.toISOString(), trial });
    throw error;
  }
  return { again: false, until };
}

/**
 * Keeps the rules that are on trial, over reboots too.
 *
 * @returns words for a person when this machine has no systemd to load them at boot; else null
 * @throws Trouble `no-trial`
 */
export async function keepFirewall({ paths, now }: Shared): Promise<{ atBoot: string | null }> {
  const { trial, rules } = await assertTrial({ paths, now });
  await writeWhole(keptFile(paths), await readFile(triedFile(paths), 'utf8'), 0o600);
  await record(paths, { event: 'kept', at: now.toISOString(), trial, rules });
  const command = loadCommand(keptFile(paths));
  if (!hasSystemd()) return { atBoot: command.join(' ') };
  await setUpUnits([{ path: unit, content: firewallUnit(command) }], { enable: [unit], now: false });
  return { atBoot: null };
}

/** The rules that are on trial. @throws Trouble `no-trial` */
async function assertTrial({ paths, now }: Shared): Promise<Extract<Standing, { stands: 'trial' }>> {
  const standing = standingOf(await readFirewallJournal(paths));
  // After a reboot in its middle what is loaded is what was kept before.
  if (standing.stands !== 'trial' || Date.parse(standing.until) < now.getTime() || !(await hasRules())) {
    const kept = standing.stands === 'kept';
    throw new Trouble({
      code: 'no-trial',
      message: kept
        ? 'The rules are kept already; none are on trial.'
        : 'No rules are on trial: the trial is over, or was never started.',
      remedy: 'Load them: mile-marker install firewall',
      exitCode: 2,
    });
  }
  return standing;
}

/**
 * The rules that would be loaded, or kept, with nothing changed.
 *
 * @throws Trouble `nothing-written`, `no-trial`
 */
export async function wouldLoad({ paths, now }: Shared, isKept: boolean): Promise<string> {
  if (!isKept) return writtenRules(paths);
  await assertTrial({ paths, now });
  return readFile(triedFile(paths), 'utf8');
}

/** @property back what stands now */
export interface UndoResult {
  back: Standing['stands'] | 'as-it-was';
}

/**
 * Takes back: rules on trial give way to those that were kept before, kept ones go away.
 *
 * @param trial only when this very trial still stands; what came after it is left alone
 */
export async function undoFirewall({
  paths,
  now,
  trial,
}: Shared & { trial?: string | undefined }): Promise<UndoResult> {
  const before = await readFirewallJournal(paths);
  const standing = standingOf(before);
  if (trial !== undefined && !(standing.stands === 'trial' && standing.trial === trial)) return { back: 'as-it-was' };
  if (standing.stands === 'none' && !(await hasRules())) return { back: 'as-it-was' };
  const entry: FirewallEntry = {
    event: 'undone',
    at: now.toISOString(),
    trial: standing.stands === 'trial' ? standing.trial : null,
  };
  const back = standingOf([...before, entry]).stands;
  if (back === 'kept') await loadRules(keptFile(paths));
  else {
    await deleteRules();
    if (standing.stands === 'kept') await removeUnits([unit]);
  }
  await record(paths, entry);
  return { back };
}

async function writtenRules(paths: StatePaths): Promise<string> {
  const found = (await readCurrent(paths.front))?.files.find(({ path }) => path === 'way-in.nft');
  if (found !== undefined) return found.content;
  const message = `No firewall rules were written yet in ${paths.front}.`;
  throw new Trouble({ code: 'nothing-written', message, remedy: 'Write them: mile-marker write', exitCode: 2 });
}

const triedFile = ({ firewall }: StatePaths): string => join(firewall, 'tried.nft');
const keptFile = ({ firewall }: StatePaths): string => join(firewall, 'kept.nft');

const record = (paths: StatePaths, entry: FirewallEntry): Promise<void> => addToJournal(firewallJournal(paths), entry);

function digest(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
