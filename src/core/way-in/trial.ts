import * as z from 'zod';
import { unitWord } from '../unit-words.ts';

/** One line of the firewall's journal. `rules` is the digest of the file, `until` when a trial ends by itself; ISO 8601. */
export const firewallEntry = z.discriminatedUnion('event', [
  z.object({ event: z.literal('tried'), at: z.string(), trial: z.string(), rules: z.string(), until: z.string() }),
  z.object({ event: z.literal('kept'), at: z.string(), trial: z.string(), rules: z.string() }),
  z.object({ event: z.literal('undone'), at: z.string(), trial: z.string().nullable() }),
]);
export type FirewallEntry = z.infer<typeof firewallEntry>;

/** Where the firewall stands: rules on trial, kept, or none of ours. */
export type Standing =
  | { stands: 'none' }
  | { stands: 'trial'; trial: string; rules: string; until: string }
  | { stands: 'kept'; rules: string };

/**
 * Reads the journal, oldest entry first. A trial that nobody kept ends where it began; a reboot in between ends it too, since
 * nothing loads its rules again.
 */
export function standingOf(entries: readonly FirewallEntry[]): Standing {
  let before: Standing = { stands: 'none' };
  let now: Standing = { stands: 'none' };
  for (const entry of entries) {
    if (now.stands !== 'trial') before = now;
    switch (entry.event) {
      case 'tried':
        now = { stands: 'trial', trial: entry.trial, rules: entry.rules, until: entry.until };
        break;
      case 'kept':
        now = { stands: 'kept', rules: entry.rules };
        break;
      case 'undone':
        now = now.stands === 'trial' ? before : { stands: 'none' };
    }
  }
  return now;
}

/**
 * A systemd unit that loads the kept rules before the network is up (systemd.special(7), `network-pre.target`), so that no port is
 * open for a moment after a reboot.
 */
export function firewallUnit(command: readonly string[]): string {
  return `[Unit]
Description=Load the firewall rules of the map
DefaultDependencies=no
Wants=network-pre.target
Before=network-pre.target
After=local-fs.target nftables.service

[Service]
Type=oneshot
RemainAfterExit=yes
ExecStart=${command.map(unitWord).join(' ')}

[Install]
WantedBy=multi-user.target
`;
}
