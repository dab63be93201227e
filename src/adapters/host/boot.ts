import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { programOf } from '../../core/proxies/programs.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { hasSystemd, unitFolder } from './units.ts';

/**
 * Whether systemd starts the map's proxy with the machine: a unit is enabled when a `*.wants` or `*.requires` folder links
 * to it (systemctl(1), `enable`). Null on a machine that systemd does not run.
 */
export function startsAtBoot(proxy: ProxyName): boolean | null {
  if (!hasSystemd()) return null;
  const enabled = wanted();
  const own = programOf(proxy).units.map((unit) => `${unit}.service`);
  if (own.length > 0) return enabled.some(({ name }) => own.includes(name));
  return enabled.some(({ path }) => /^ExecStart=.*mile-marker.*\bserve\b/m.test(textOf(path)));
}

function wanted(): Array<{ name: string; path: string }> {
  const folders = namesIn(unitFolder).filter((name) => /\.(wants|requires)$/.test(name));
  return folders.flatMap((folder) =>
    namesIn(join(unitFolder, folder)).map((name) => ({ name, path: join(unitFolder, folder, name) })),
  );
}

function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}

function textOf(path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return '';
  }
}
