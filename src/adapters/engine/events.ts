import { createInterface } from 'node:readline';
import * as z from 'zod';
import type { EngineAddress } from './address.ts';
import { open } from './exchange.ts';

/**
 * One thing that happened to a container or a network.
 *
 * @property container id of the container that it concerns; null when that is not said
 */
interface EngineEvent {
  what: string;
  container: string | null;
}

const filters = encodeURIComponent(JSON.stringify({ type: ['container', 'network', 'service', 'node'] }));

/** Such things happen all the time, and change nothing that a plan could be made of. */
const ofNoConcern = /^(exec_|top$|attach$|detach$|export$|copy$|commit$|archive-path$|extract-to-dir$)/;

const eventForm = z.object({
  Type: z.string().nullish(),
  Action: z.string(),
  Actor: z.object({ ID: z.string().nullish(), Attributes: z.record(z.string(), z.unknown()).nullish() }).nullish(),
});

/**
 * What happens at an engine (Engine API v1.41, SystemEvents), one after the other, until it ends or `signal` is aborted. A line that is not understood is
 * an event of which nothing is known.
 *
 * @param onOpen called once the engine listens: what happens from then on is told
 * @throws the system's error when the connection breaks, and an `Error` when what answers is no stream of events
 */
export async function* engineEvents(
  address: EngineAddress,
  { signal, onOpen }: { signal: AbortSignal; onOpen: () => void },
): AsyncGenerator<EngineEvent> {
  const response = await open(address, { path: `/events?filters=${filters}`, signal });
  if (response.statusCode !== 200) {
    response.destroy();
    throw new Error(`it answers ${String(response.statusCode)} when asked for its events`);
  }
  onOpen();
  for await (const line of createInterface({ input: response, crlfDelay: Infinity, signal })) {
    const event = read(line);
    if (event !== null) yield event;
  }
}

function read(line: string): EngineEvent | null {
  if (line.trim() === '') return null;
  try {
    const { Type: type, Action: action, Actor: actor } = eventForm.parse(JSON.parse(line));
    if (ofNoConcern.test(action)) return null;
    const joined = actor?.Attributes?.['container'];
    const container = type === 'container' ? (actor?.ID ?? null) : typeof joined === 'string' ? joined : null;
    return { what: `${type ?? ''} ${action}`.trim(), container };
  } catch {
    return { what: 'unknown', container: null };
  }
}
