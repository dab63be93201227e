import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { serviceName } from '../../core/live/service-unit.ts';
import { unitWord } from '../../core/unit-words.ts';
import { runQuiet } from '../processes/run-quiet.ts';
import type { Tried } from '../proxies/adapter.ts';
import { hasSystemd, unitFolder } from './units.ts';

/** Whether systemd has a unit that serves this map. */
async function isOurs(map: string): Promise<boolean> {
  if (!hasSystemd()) return false;
  const text = await readFile(join(unitFolder, serviceName), 'utf8').catch(() => '');
  return text.includes(unitWord(map));
}

/** Number of the process that systemd runs for a map; null when there is none. */
export async function serviceProcess(map: string): Promise<number | null> {
  if (!(await isOurs(map))) return null;
  const { out } = await runQuiet('systemctl', ['show', '--property', 'MainPID', '--value', serviceName]);
  const pid = Number(out.trim());
  return pid > 0 ? pid : null;
}

/** Has systemd start it. Null when it has no unit for this map. */
export async function startService(map: string): Promise<Tried | null> {
  if (!(await isOurs(map))) return null;
  const { code, err } = await runQuiet('systemctl', ['start', serviceName], 60_000);
  if (code === 0) return { passed: true, output: '' };
  const isRoot = process.getuid?.() === 0;
  const why = isRoot ? err.trim() : 'this needs root. Run it as root once';
  return { passed: false, output: `its unit ${serviceName} is stopped, and systemd does not start it: ${why}` };
}
