import { readFile, rm } from 'node:fs/promises';
import * as z from 'zod';
import { join } from 'node:path';
import { readState } from '../../files/editions.ts';
import { writeWhole } from '../../files/safe-write.ts';
import { statePaths } from '../../files/state-folder.ts';
import { spaceHere, startOf } from '../../host/process-id.ts';
import { serviceProcess } from '../../host/service-unit.ts';
import { listeningSockets } from '../../host/sockets.ts';

/**
 * A process that serves a map.
 *
 * @property started what the kernel says of its start, so that another one with its number is not taken for it @property space whom its number counts among
 * @property written it serves what was written, and takes up what was written since; one in the foreground serves the map
 */
const serving = z.object({
  pid: z.number(),
  started: z.string().nullable(),
  space: z.string().optional(),
  written: z.boolean().default(true),
});
type Serving = z.output<typeof serving>;

const fileOf = (map: string): string => join(statePaths(map).root, 'serve.json');

/** Written down by whoever serves, once it listens, whoever started it. */
export async function noteServing(map: string, written: boolean): Promise<void> {
  const own: Serving = { pid: process.pid, started: await startOf(process.pid), space: await spaceHere(), written };
  await writeWhole(fileOf(map), `${JSON.stringify(own)}\n`);
}

/** The same is taken away when it ends; not what another one has written since. */
export async function forgetServing(map: string): Promise<void> {
  if ((await noted(map))?.pid === process.pid) await rm(fileOf(map), { force: true });
}

/** The process that serves a map in the background: of its unit, by its own note, or by its mark. Null when there is none. */
export async function servingProcess(map: string): Promise<number | null> {
  const ofService = await serviceProcess(map);
  if (ofService !== null) return ofService;
  const own = await noted(map);
  if (own !== null) return own.written ? own.pid : null;
  return byMark(map);
}

/** One that a person has started in the foreground, which takes nothing up. */
export async function foregroundProcess(map: string): Promise<number | null> {
  const own = await noted(map);
  return own?.written === false ? own.pid : null;
}

/** What is noted and runs. */
async function noted(map: string): Promise<Serving | null> {
  const text = await readFile(fileOf(map), 'utf8').catch(() => '');
  const found = serving.safeParse(parsed(text)).data ?? null;
  if (found === null || (found.space !== undefined && found.space !== (await spaceHere()))) return null;
  return (await startOf(found.pid)) === found.started ? found : null;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return null;
  }
}

/** One that could note nothing: whoever listens where the front of the record answers its mark, and was told to serve this map. */
async function byMark(map: string): Promise<number | null> {
  const { live } = await readState(statePaths(map).front).catch(() => ({ live: null }));
  if (live?.place?.proxy !== 'builtin' || live.place.container !== null) return null;
  const { port } = live.place.mark;
  const owners = listeningSockets().flatMap((one) => (one.protocol === 'tcp' && one.port === port ? one.owners : []));
  for (const { pid } of owners) {
    const words = (await readFile(`/proc/${String(pid)}/cmdline`, 'utf8').catch(() => '')).split('\0');
    if (['serve', '--written', map].every((word) => words.includes(word))) return pid;
  }
  return null;
}
