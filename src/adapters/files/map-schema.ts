import { readFile } from 'node:fs/promises';
import { mapJsonSchema } from '../../core/map/schema/json-schema.ts';
import { writeWhole } from './safe-write.ts';
import { ensureState, type StatePaths } from './state-folder.ts';

/** Keeps the schema of the map beside it, where the first line of a map leads editors; written only when this version has another one. */
export async function keepMapSchema(paths: StatePaths): Promise<void> {
  const text = `${JSON.stringify(mapJsonSchema(), null, 2)}\n`;
  const before = await readFile(paths.schema, 'utf8').catch(() => null);
  if (before === text) return;
  await ensureState(paths);
  await writeWhole(paths.schema, text);
}
