import { existsSync } from 'node:fs';
import { runQuiet } from '../processes/run-quiet.ts';
import { reasonOf, Trouble } from '../trouble.ts';

/** Our own table. No other is ever named. */
const table = ['table', 'inet', 'mile_marker'];

/** Debian keeps it in /usr/sbin, which is not on everyone's PATH. */
const program = ['/usr/sbin/nft', '/sbin/nft', '/usr/bin/nft'].find((path) => existsSync(path)) ?? 'nft';

/** Words of the command that loads a file of rules, for units and for people. */
export function loadCommand(file: string): string[] {
  return [program, '-f', file];
}

/**
 * Loads a file of rules in one step: all of it or nothing (nft(8)).
 *
 * @throws Trouble `nft-missing`, `nft-refuses`
 */
export async function loadRules(file: string): Promise<void> {
  await nft(['-f', file]);
}

/** Takes our table away; without one nothing happens. @throws Trouble as `loadRules` */
export async function deleteRules(): Promise<void> {
  if (await hasRules()) await nft(['delete', ...table]);
}

/** Whether our table is loaded. @throws Trouble `nft-missing`, `nft-refuses` */
export async function hasRules(): Promise<boolean> {
  return (await nft(['list', 'tables'])).split('\n').includes(table.join(' '));
}

async function nft(argv: readonly string[]): Promise<string> {
  const { code, out, err, cause } = await runQuiet(program, argv);
  if (code === 0) return out;
  if (code === null && (cause as NodeJS.ErrnoException).code === 'ENOENT') {
    throw new Trouble({
      code: 'nft-missing',
      message: 'The program nft is not installed on this machine.',
      remedy: 'On Debian: apt-get install nftables',
    });
  }
  const words = err.trim().split('\n')[0] ?? '';
  const message = `nft ${argv.join(' ')} failed: ${words === '' ? reasonOf(cause) : words}`;
  const denied = /not permitted|permission denied/i.test(err);
  throw new Trouble({
    code: 'nft-refuses',
    message,
    remedy: denied
      ? 'Run this as root: only root can change the firewall.'
      : 'No rule was loaded. The firewall is unchanged.',
  });
}
