import { readFile } from 'node:fs/promises';
import * as z from 'zod';
import type { EngineFacts } from '../engine/read-engine.ts';
import { writeWhole } from './safe-write.ts';

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

const cluster = z.strictObject({
  nodes: z.array(
    z.object({ id: text, name: text, address: text, state: text, availability: z.enum(['active', 'pause', 'drain']) }),
  ),
  services: z.array(
    z.object({
      id: text,
      name: text,
      stack: text.nullable(),
      image: text.nullable(),
      labels: z.record(text, text),
      wanted: z.number().nullable(),
      ports: z.array(
        z.object({
          protocol: z.enum(['tcp', 'udp']),
          inside: z.number(),
          outside: z.number(),
          how: z.enum(['host', 'ingress']),
        }),
      ),
      networks: z.array(text),
    }),
  ),
  tasks: z.array(
    z.object({
      id: text,
      service: text,
      node: text.nullable(),
      slot: z.number().nullable(),
      state: text,
      isWanted: z.boolean(),
      error: text.nullable(),
      exitCode: z.number(),
      at: text,
    }),
  ),
});

const facts = z.strictObject({
  containers: z.array(container),
  networks: z.array(z.object({ name: text, driver: text, subnets: z.array(text) })),
  cluster: cluster.nullable(),
});

const foundForm = z.strictObject({
  format: z.literal('mile-marker-found'),
  version: z.literal(1),
  at: text,
  engines: z.record(
    text,
    z.strictObject({ facts: facts.nullable(), trouble: z.strictObject({ message: text, remedy: text }).nullable() }),
  ),
});

/**
 * What an engine said last.
 *
 * @property facts null when it has never answered
 * @property trouble what is wrong with asking it now; null when nothing is
 */
export interface EngineHeard {
  facts: EngineFacts | null;
  trouble: { message: string; remedy: string } | null;
}

/** What engines said, by the names of their machines; that of this machine has none. @property at when they said so, in ISO 8601 */
interface Found {
  at: string;
  engines: Record<string, EngineHeard>;
}

/** Null when there is nothing, or nothing of this version. */
export async function readFound(path: string): Promise<Found | null> {
  try {
    const { at, engines } = foundForm.parse(JSON.parse(await readFile(path, 'utf8')));
    return { at, engines };
  } catch {
    return null;
  }
}

/** Labels may hold what is not for everybody. */
export async function writeFound(path: string, found: Found): Promise<void> {
  const content = JSON.stringify({ format: 'mile-marker-found', version: 1, ...found });
  await writeWhole(path, `${content}\n`, 0o600);
}
