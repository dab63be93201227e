import { join } from 'node:path';
import type { EngineFacts } from '../engine/read-engine.ts';
import { readFound, writeFound } from './found.ts';
import { ensureFolder } from './safe-write.ts';
import type { StatePaths } from './state-folder.ts';

/** What another machine's engine said last. @property at ISO 8601 */
interface LastFound {
  facts: EngineFacts;
  at: string;
}

/** Null when nothing is kept of it. */
export async function lastFound(paths: Pick<StatePaths, 'machines'>, machine: string): Promise<LastFound | null> {
  const kept = await readFound(fileOf(paths, machine));
  const facts = kept?.engines[machine]?.facts ?? null;
  return kept === null || facts === null ? null : { facts, at: kept.at };
}

/** So that roads to a machine that is away for a while lead where they did. */
export async function keepFound(
  paths: Pick<StatePaths, 'machines'>,
  machine: string,
  { facts, at }: LastFound,
): Promise<void> {
  await ensureFolder(paths.machines, 0o700);
  await writeFound(fileOf(paths, machine), { at, engines: { [machine]: { facts, trouble: null } } });
}

function fileOf({ machines }: Pick<StatePaths, 'machines'>, machine: string): string {
  return join(machines, `${machine}.json`);
}
