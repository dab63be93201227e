import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { ensureFolder, writeLightly } from '../../adapters/files/safe-write.ts';
import { readNewest } from '../../adapters/files/runs.ts';
import { noteHead, serviceNotes } from '../../core/notes/service-notes.ts';
import type { Site } from '../map/load.ts';

/** Writes a note for each service beside the editions, and takes away those of services that are no longer on the map. @throws Trouble */
export async function writeNotes({ plan, inventory, paths }: Site): Promise<void> {
  // Where somebody else runs verify, what it saw may not be this user's to read: no reason not to write.
  const newest = await readNewest(paths).catch(() => null);
  const notes = serviceNotes({ plan, networks: inventory.networks, newest });
  await ensureFolder(paths.notes);
  const before = await readdir(paths.notes);
  const named = new Map(notes.map(({ file, text }) => [file, text]));
  await writeLightly(paths.notes, named);
  for (const file of before.filter((one) => one.endsWith('.md') && !named.has(one))) {
    const path = join(paths.notes, file);
    if ((await readFile(path, 'utf8').catch(() => '')).includes(noteHead)) await rm(path);
  }
}
