import { basename, dirname, join, resolve } from 'node:path';
import { parse } from 'dotenv';
import { composeUnreadable, mergeInventories, readCompose } from '../../core/inventory/compose.ts';
import type { Inventory } from '../../core/inventory/inventory.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding } from '../../core/findings/finding.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import { shownPath } from '../files/find-map.ts';
import { readText } from '../files/read-text.ts';
import { Trouble } from '../trouble.ts';

export interface ComposeFilesInput {
  compose: SiteMap['compose'];
  /** Absolute path of the map; Compose paths are relative to its folder. */
  mapFile: string;
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
}

/**
 * Reads the Compose files of a map with the `.env` beside the first (the project folder). The environment wins over
 * `.env`, as the Compose Specification has it. A file that cannot be read is a finding at its line of the map.
 */
export async function readComposeFiles({
  compose,
  mapFile,
  cwd,
  env,
}: ComposeFilesInput): Promise<{ inventory: Inventory; findings: Finding[] }> {
  const folder = dirname(mapFile);
  const projectFolder = dirname(resolve(folder, compose[0]?.path ?? '.'));
  const variables = { ...(await readDotEnv(projectFolder)), ...given(env) };
  const inventories: Inventory[] = [];
  const findings: Finding[] = [];
  for (const { path, where } of compose) {
    const file = resolve(folder, path);
    try {
      const text = await readText({ path: file, what: 'Compose file' });
      const read = readCompose({
        file: shownPath(file, cwd),
        text,
        project: projectName(projectFolder, env),
        variables,
      });
      inventories.push(read.inventory);
      findings.push(...read.findings);
    } catch (trouble) {
      if (!(trouble instanceof Trouble)) throw trouble;
      const data = { text: path, problem: trouble.message, advice: trouble.remedy };
      findings.push(tell(composeUnreadable, { say: 'file', data, where }));
    }
  }
  return { inventory: mergeInventories(inventories), findings };
}

async function readDotEnv(folder: string): Promise<Record<string, string>> {
  try {
    return parse(await readText({ path: join(folder, '.env'), what: 'file' }));
  } catch (trouble) {
    if (trouble instanceof Trouble) return {};
    throw trouble;
  }
}

function given(env: Readonly<Record<string, string | undefined>>): Record<string, string> {
  return Object.fromEntries(Object.entries(env).filter((entry): entry is [string, string] => entry[1] !== undefined));
}

/** The folder's name in lower case without the characters a project name cannot have (Compose Specification, "name"). */
function projectName(folder: string, env: Readonly<Record<string, string | undefined>>): string {
  return (
    env['COMPOSE_PROJECT_NAME'] ??
    basename(folder)
      .toLowerCase()
      .replace(/[^a-z0-9_-]/g, '')
      .replace(/^[_-]+/, '')
  );
}
