import { access } from 'node:fs/promises';
import { dirname, isAbsolute, join, relative, resolve } from 'node:path';
import { Trouble } from '../trouble.ts';
import { assertFoundIsOurs, assertStateIsOurs } from './others-hands.ts';
import { statePaths } from './state-folder.ts';
import { shellWord } from '../../core/shell-word.ts';

export const mapName = 'mile-marker.yaml';

/** The other usual ending of YAML files. */
const otherName = 'mile-marker.yml';

interface FindMapInput {
  option: string | undefined;
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
}

/**
 * The map to use: `--map`, else `MILE_MARKER_MAP`, else the nearest of this folder and its parents, else
 * `/etc/mile-marker/`. Absolute path.
 *
 * @throws Trouble `map-not-found`, `map-named-otherwise`, `map-path-odd`, `map-of-others`, `state-of-others` (exit code 2)
 */
export async function findMap(input: FindMapInput): Promise<string> {
  const { option, cwd, env } = input;
  const named = option ?? env['MILE_MARKER_MAP'];
  const isNamed = named !== undefined && named !== '';
  const mapFile = isNamed ? resolve(cwd, named) : await nearest(input);
  assertPlain(mapFile);
  if (!isNamed) assertFoundIsOurs(mapFile, env);
  assertStateIsOurs(mapFile, statePaths(mapFile).root);
  return mapFile;
}

/** Paths go into configurations, units and crontabs, line by line. */
function assertPlain(mapFile: string): void {
  if (!/[\u0000-\u001f\u007f]/.test(mapFile)) return;
  throw new Trouble({
    code: 'map-path-odd',
    message: `The path of the map has a character that is not allowed in configuration files: ${JSON.stringify(mapFile)}.`,
    remedy: 'Rename that folder or file.',
    exitCode: 2,
  });
}

async function nearest({ cwd }: FindMapInput): Promise<string> {
  for (let folder = cwd; ; folder = dirname(folder)) {
    if (await exists(join(folder, mapName))) return join(folder, mapName);
    if (await exists(join(folder, otherName))) throw namedOtherwise(folder);
    if (folder === dirname(folder)) break;
  }
  const shared = join('/etc/mile-marker', mapName);
  if (await exists(shared)) return shared;
  const message = `There is no ${mapName} in ${cwd}, in the folders above it, or in /etc/mile-marker.`;
  const remedy = 'Make one: mile-marker init --domain NAME --address ADDRESS. Or name it with --map FILE.';
  throw new Trouble({ code: 'map-not-found', message, remedy, exitCode: 2 });
}

function namedOtherwise(folder: string): Trouble {
  const message = `There is ${otherName} in ${folder}, but the map is called ${mapName}.`;
  const remedy = `Rename it: mv ${shellWord(join(folder, otherName))} ${shellWord(join(folder, mapName))}`;
  return new Trouble({ code: 'map-named-otherwise', message, remedy, exitCode: 2 });
}

async function exists(path: string): Promise<boolean> {
  return access(path).then(
    () => true,
    () => false,
  );
}

/** A path as a person in `cwd` would write it: relative when it lies below, absolute otherwise. */
export function shownPath(path: string, cwd: string): string {
  const below = relative(cwd, path);
  // Below the root, as for a unit of systemd, the whole path is the shorter word.
  return cwd === '/' || below === '' || below.startsWith('..') || isAbsolute(below) ? path : below;
}
