import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { writeWhole } from '../files/safe-write.ts';
import { runQuiet } from '../processes/run-quiet.ts';
import { reasonOf, Trouble } from '../trouble.ts';

const folder = '/etc/systemd/system';

/** Writes a unit and has systemd start it at every boot. False, with nothing written, where systemd does not run. */
export async function setUpUnit(name: string, content: string): Promise<boolean> {
  if (!existsSync('/run/systemd/system')) return false;
  await writeWhole(join(folder, name), content);
  await systemctl(['daemon-reload']);
  await systemctl(['enable', name]);
  return true;
}

/** The reverse of `setUpUnit`; a unit that is not there is no fault. */
export async function removeUnit(name: string): Promise<void> {
  if (!existsSync(join(folder, name))) return;
  await systemctl(['disable', name]);
  await rm(join(folder, name), { force: true });
  await systemctl(['daemon-reload']);
}

async function systemctl(argv: readonly string[]): Promise<void> {
  const { code, err, cause } = await runQuiet('systemctl', argv, 30_000);
  if (code === 0) return;
  const words = err.trim() === '' ? reasonOf(cause) : err.trim();
  throw new Trouble({
    code: 'systemd-refuses',
    message: `systemctl ${argv.join(' ')} failed: ${words}`,
    remedy: 'The rules are loaded, but will not be after a reboot. Fix it, then run this again.',
  });
}
