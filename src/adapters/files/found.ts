import { readFile } from 'node:fs/promises';
import * as z from 'zod';
import type { EngineFacts } from '../engine/read-engine.ts';
import { writeWhole } from './safe-write.ts';
import type { StatePaths } from './state-folder.ts';
import { ensureState } from './state-folder.ts';

const text = z.string();
const port = z.object({
  hostAddress: text.nullable(),
  hostPort: z.number().nullable(),
  containerPort: z.number(),
  protocol: z.enum(['tcp', 'udp']),
  where: z.null(),
  written: z.null(),
  inFlow: z.boolean(),
});

const container = z.strictObject({
  id: text,
  name: text,
  made: text.nullable(),
  state: z.enum(['created', 'running', 'paused', 'restarting', 'removing', 'exited', 'dead']),
  health: z.enum(['healthy', 'unhealthy', 'starting']).nullable(),
  exitCode: z.number(),
  project: text.nullable(),
  service: text.nullable(),
  image: text.nullable(),
  published: z.array(port),
  exposed: z.array(z.number()),
  networks: z.array(z.object({ name: text, aliases: z.array(text), address: text.nullable() })),
  networkMode: text.nullable(),
  restart: text.nullable(),
  labels: z.record(text, text),
  mounts: z.array(text),
  listening: z.null(),
});

const facts = z.strictObject({
  containers: z.array(container),
  networks: z.array(z.object({ name: text, driver: text, subnets: z.array(text) })),
});

const foundForm = z.strictObject({
  format: z.literal('mile-marker-found'),
  version: z.literal(1),
  facts: facts.nullable(),
  problem: text.nullable(),
});

/** @property problem what is wrong with asking the engine now; null when nothing is */
export interface FoundFile {
  facts: EngineFacts | null;
  problem: string | null;
}

/** What one half of `follow` found at the engine, for the other; null when there is nothing, or nothing of this version. */
export async function readFoundFile(path: string): Promise<FoundFile | null> {
  try {
    return foundForm.parse(JSON.parse(await readFile(path, 'utf8')));
  } catch {
    return null;
  }
}

/** Labels may hold what is not for everybody. */
export async function writeFoundFile(paths: StatePaths, found: FoundFile): Promise<void> {
  await ensureState(paths);
  const content = JSON.stringify({ format: 'mile-marker-found', version: 1, ...found });
  await writeWhole(paths.found, `${content}\n`, 0o600);
}
