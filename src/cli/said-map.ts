import { resolve } from 'node:path';
import { findMap, mapName, shownPath } from '../adapters/files/find-map.ts';
import { Trouble } from '../adapters/trouble.ts';
import { shellWord } from '../core/shell-word.ts';
import type { Io } from './io.ts';

/**
 * Says which map a command is about, unless it lies in the current folder, and that others need `--map` as well where they would find another one or none.
 *
 * @param option what `--map` said
 * @param map its path, absolute or from where one is
 */
export async function sayMap(option: string | undefined, map: string, io: Io): Promise<void> {
  const shown = shownPath(map, io.cwd);
  if (shown === mapName) return;
  io.err(`map: ${shown}\n`);
  if (option === undefined || (await mapHere(io)) === resolve(io.cwd, map)) return;
  io.err(`     Commands below need it too: --map ${shellWord(shown)}\n`);
}

async function mapHere({ cwd, env }: Io): Promise<string | null> {
  try {
    return await findMap({ option: undefined, cwd, env });
  } catch (trouble) {
    if (trouble instanceof Trouble) return null;
    throw trouble;
  }
}
