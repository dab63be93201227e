import { join } from 'node:path';
import { readCurrent, readEdition } from '../../../adapters/files/editions.ts';
import { placementOf } from '../../../adapters/files/placement.ts';
import { ask } from '../../../adapters/probe/ask.ts';
import type { Env } from '../../../adapters/proxies/adapter.ts';
import type { Limits } from '../../../adapters/probe/connect.ts';
import type { RunningEvidence } from '../../../core/legs/way/running.ts';
import { withPort } from '../../../core/networks/address.ts';
import type { Site } from '../../map/load.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { readsOurs } from '../../live/judge-installed.ts';
import { entryOf } from '../../live/needs.ts';
import { placeOf } from '../../live/what-runs.ts';
import { digestOf } from '../../live/write.ts';

/**
 * What the front of this machine says of itself, and what it should; null when nothing answers its mark.
 *
 * @param env in which its server is asked what it reads; null not to ask it
 */
export async function readRunning(site: Site, limits: Limits, env: Env | null): Promise<RunningEvidence | null> {
  const { address, port } = site.plan.front.mark;
  const headers = { host: withPort(address, port) };
  const answer = await ask({ scheme: 'http', address, port, target: '/mark', headers, ...limits });
  if (!answer.ok || answer.value.status !== 200) return null;
  const written = await readCurrent(site.paths.front).catch(() => null);
  const runs = answer.value.body.trim();
  const wanted = await wantedDigest(site);
  // What is served from the map itself, with nothing written, says so.
  const isOurs = (wanted !== null && runs === `builtin ${wanted}`) || (await isWrittenHere(site, runs));
  const reads = isOurs && env !== null ? await readsWhat(site, env) : null;
  return { runs, isOurs, reads, written, wanted };
}

async function readsWhat(site: Site, env: Env): Promise<RunningEvidence['reads']> {
  const isRead = await readsOurs(site, env);
  const place = placeOf(site);
  return isRead === null ? null : { entry: entryOf(place), title: programOf(place.proxy).title, isRead };
}

/** On the loopback of this machine the front of another map may answer. */
async function isWrittenHere({ paths }: Site, runs: string): Promise<boolean> {
  const [, number, digest] = /^edition (\d+) (sha256:[0-9a-f]+)$/.exec(runs) ?? [];
  if (number === undefined) return false;
  const edition = await readEdition(paths.front, Number(number)).catch(() => null);
  return edition?.digest === digest;
}

/** Without the engine, or before a container of the front's own is there, another plan comes out than that which was written. */
async function wantedDigest(site: Site): Promise<string | null> {
  const { plan, mapFile, paths, engineTrouble } = site;
  const renderer = programOf(plan.front.proxy).renderer;
  if (engineTrouble !== null || plan.front.container !== null || renderer === null) return null;
  const { version } = await site.proxyProgram();
  const placement = placementOf({ plan, mapFile, current: join(paths.front, 'current'), version });
  return digestOf(renderer.essence(plan, renderer.render(plan, placement)));
}
