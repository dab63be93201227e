import { existsSync } from 'node:fs';
import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { writeWhole } from '../files/safe-write.ts';
import { runQuiet } from '../processes/run-quiet.ts';
import { reasonOf, Trouble } from '../trouble.ts';

/** Where an administrator's units lie (systemd.unit(5)). */
export const unitFolder = '/etc/systemd/system';

/** sd_booted(3). */
export function hasSystemd(): boolean {
  return existsSync('/run/systemd/system');
}

interface Unit {
  path: string;
  content: string;
}

/** Text of a unit that is there; null when there is none. */
export function readUnit(name: string): Promise<string | null> {
  return readFile(join(unitFolder, name), 'utf8').catch(() => null);
}

/** Writes units and has systemd start those named at every boot; with `now`, at once, too. @throws Trouble `systemd-refuses` */
export async function setUpUnits(
  units: readonly Unit[],
  { enable, now }: { enable: readonly string[]; now: boolean },
): Promise<void> {
  for (const { path, content } of units) await writeWhole(join(unitFolder, path), content);
  await systemctl(['daemon-reload']);
  await systemctl(['enable', ...enable]);
  // What runs already runs by the unit of before.
  if (now) await systemctl(['restart', ...enable]);
}

/** The reverse, at once; units that are not there are no fault. @returns those that were */
export async function removeUnits(names: readonly string[]): Promise<string[]> {
  const there = names.filter((name) => existsSync(join(unitFolder, name)));
  if (there.length === 0) return [];
  await systemctl(['disable', '--now', ...there]);
  for (const name of there) await rm(join(unitFolder, name), { force: true });
  await systemctl(['daemon-reload']);
  // One that ended badly would be listed as failed for ever. There may be none.
  await runQuiet('systemctl', ['reset-failed', ...there], 60_000);
  return there;
}

async function systemctl(argv: readonly string[]): Promise<void> {
  const { code, err, cause } = await runQuiet('systemctl', argv, 60_000);
  if (code === 0) return;
  const words = err.trim() === '' ? reasonOf(cause) : err.trim();
  throw new Trouble({
    code: 'systemd-refuses',
    message: `systemctl ${argv.join(' ')} failed: ${words}`,
    remedy: 'Fix the cause, then run this again. Until then nothing starts when the machine boots.',
  });
}
