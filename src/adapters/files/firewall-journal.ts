import { join } from 'node:path';
import { firewallEntry, standingOf, type FirewallEntry } from '../../core/way-in/trial.ts';
import { readJournal } from './journal.ts';
import type { StatePaths } from './state-folder.ts';

export function firewallJournal({ firewall }: Pick<StatePaths, 'firewall'>): string {
  return join(firewall, 'journal.jsonl');
}

/** What became of the rules for the firewall of this machine, the oldest first. */
export function readFirewallJournal(paths: Pick<StatePaths, 'firewall'>): Promise<FirewallEntry[]> {
  return readJournal(firewallJournal(paths), firewallEntry);
}

/** Whether rules of ours were kept, as far as the journal knows. */
export async function isWalled(paths: Pick<StatePaths, 'firewall'>): Promise<boolean> {
  return standingOf(await readFirewallJournal(paths)).stands === 'kept';
}
