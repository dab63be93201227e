import { realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { shownPath } from '../../adapters/files/find-map.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { stateOwner } from '../../adapters/files/state-folder.ts';
import { ensureFolder, writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { codeOf, Trouble } from '../../adapters/trouble.ts';
import {
  closedPorts,
  frontCompose,
  frontComposeFile,
  frontComposeHeader,
  type ClosedPort,
} from '../../core/proxies/front-compose.ts';
import type { Site } from '../map/load.ts';

/** @property file null when the front runs on this machine and needs no container; `before` is what stood there, null when nothing did */
export interface ComposeResult {
  file: { path: string; text: string; before: string | null; changed: boolean } | null;
  ports: ClosedPort[];
}

interface WriteComposeInput {
  site: Site;
  /** Folder that the editions were written to. */
  folder: string;
  cwd: string;
  dry: boolean;
}

/**
 * Writes the Compose file of the proxy beside the map, and works out which `ports:` lines of the services to change.
 *
 * @throws Trouble `not-ours` when a file of that name is there that somebody else wrote
 */
export async function writeCompose({ site, folder, cwd, dry }: WriteComposeInput): Promise<ComposeResult> {
  const { plan, front, mapFile, paths } = site;
  const ports = closedPorts(plan, front);
  if (front.kind === 'host' || front.inCluster) return { file: null, ports };
  const owner = await stateOwner(paths);
  const text = frontCompose({
    ...{ plan, front, mapFile, owner },
    compose: site.host.compose,
    folders: { front: folder, certificates: paths.certificates },
    program: dirname(realpathSync(process.argv[1] ?? '.')),
  });
  // The engine would make it as root where it is missing.
  if (!dry && plan.challenges !== null) await ensureFolder(plan.challenges);
  const path = join(dirname(mapFile), frontComposeFile);
  const before = await textOf(path);
  if (before !== null && !before.startsWith(frontComposeHeader)) throw notOurs(shownPath(path, cwd));
  if (!dry && before !== text) {
    await writeWhole(path, text).catch((cause: unknown) => {
      throw writeTrouble(path, cause);
    });
  }
  return { file: { path: shownPath(path, cwd), text, before, changed: before !== text }, ports };
}

async function textOf(path: string): Promise<string | null> {
  try {
    return await readText({ path, what: 'file' });
  } catch (trouble) {
    if (trouble instanceof Trouble && codeOf(trouble.cause) === 'ENOENT') return null;
    throw trouble;
  }
}

function notOurs(path: string): Trouble {
  return new Trouble({
    code: 'not-ours',
    message: `${path} already exists, and was not written by Mile Marker.`,
    remedy: 'Move it away or rename it, then: mile-marker write --compose',
    exitCode: 2,
  });
}
