import { rm } from 'node:fs/promises';
import { dirname } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import {
  markText,
  noteFront,
  readEdition,
  readFrontJournal,
  switchEdition,
  switchToNone,
} from '../../adapters/files/editions.ts';
import { syncFolder, writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { engineAddress } from '../../adapters/engine/address.ts';
import { askMark, waitForMark } from '../../adapters/processes/wait-for-mark.ts';
import {
  markPatienceMs,
  type Env,
  type InstalledProxy,
  type ProxyAdapter,
  type Tried,
} from '../../adapters/proxies/adapter.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { installedBuiltin } from '../../adapters/proxies/builtin/installed.ts';
import { inCluster } from '../../adapters/proxies/in-cluster.ts';
import { inContainer } from '../../adapters/proxies/in-container.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { bringBack } from './replace.ts';
import { ownInclude, type Begun } from '../../core/live/front-journal.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { ProxyName } from '../../core/proxies/names.ts';

/** Where a front is, and how its proxy is moved from one edition to another. Every move is told to the journal before it is made. */
export interface FrontPlace {
  /** The folder of its editions. */
  folder: string;
  proxy: ProxyName;
  /** Absolute path of the map. */
  map: string;
  mark: { address: string; port: number };
  /** The container that it runs in, and the engine's address as the map has it; null for this host. `inCluster`: a service of a cluster has that name. */
  container: { name: string; engine: string | null; inCluster?: boolean | undefined } | null;
}

export interface World {
  env: Env;
  now: () => Date;
  signal: AbortSignal;
}

const stamp = ({ now }: World): string => now().toISOString();

/** The proxy of a front as it runs on this machine. @property adapter null for the one that is part of this program */
interface Runner {
  program: string;
  installed: InstalledProxy;
  adapter: ProxyAdapter | null;
}

/** @throws Trouble `proxy-missing`, `no-engine` */
export async function runnerOf(place: Omit<FrontPlace, 'folder' | 'mark'>, env: Env): Promise<Runner> {
  const { proxy, map, container } = place;
  if (container !== null) return containerRunner({ proxy, map, container }, env);
  const adapter = adapterOf(proxy);
  if (adapter === null) return { program: map, installed: installedBuiltin, adapter };
  return { program: await adapter.find(env), installed: adapter.installed, adapter };
}

function containerRunner({ proxy, map, container }: Omit<FrontPlace, 'folder' | 'mark'>, env: Env): Runner {
  const { title, contained: words } = programOf(proxy);
  const engine = container === null ? null : engineAddress(container.engine, env);
  if (container !== null && words !== null && engine !== null)
    return {
      program: container.name,
      installed:
        container.inCluster === true
          ? inCluster({ service: container.name, engine, proxy, map })
          : inContainer({ container: container.name, engine, words, map }),
      adapter: null,
    };
  throw new Trouble({
    code: 'no-engine',
    message: `${title} runs in a container, and no container engine is there to be asked.`,
    remedy: 'Start it, or name its socket with `engine` in the map.',
  });
}

/** The edition that the front says it runs; null when it says none, or does not answer. */
export async function runningEdition(place: FrontPlace, world: World): Promise<number | null> {
  const text = await saidMark(place, world);
  const number = /^edition (\d{4,}) sha256:/.exec(text ?? '')?.[1];
  return number === undefined ? null : Number(number);
}

/** What the front answers to its mark; null when that is nothing. A container's loopback is its own, so it is asked inside. */
export async function saidMark(place: FrontPlace, { env, signal }: World): Promise<string | null> {
  if (place.container === null) return askMark(place.mark, signal, 2000);
  const { installed } = await runnerOf(place, env);
  return installed.mark?.(place.mark) ?? null;
}

/**
 * Points `current` at an edition, has the proxy take it up, and waits until it says so.
 *
 * @param isTested the proxy has tested that edition a moment ago @returns null when it does, else why not
 */
export async function moveTo(
  place: FrontPlace,
  number: number,
  world: World,
  isTested = false,
): Promise<string | null> {
  const edition = await readEdition(place.folder, number);
  await switchEdition(place.folder, edition, stamp(world));
  const brought = await bring(place, world, isTested);
  if (!brought.passed) return brought.output;
  await noteFront(place.folder, { event: 'reloaded', at: stamp(world), edition: number });
  try {
    const ask = (): Promise<string | null> => saidMark(place, world);
    await waitForMark({ ...place.mark, ask, mark: markText(edition), withinMs: markPatienceMs, signal: world.signal });
    return null;
  } catch (error) {
    const { installed } = await runnerOf(place, world.env);
    const said = (await installed.lastError?.()) ?? null;
    return `${reasonOf(error).replace(/\.$/, '')}${said === null ? '' : `. It said last: ${said.replace(/\.$/, '')}`}`;
  }
}

/** Has the proxy read its certificates and password files anew. @throws Trouble `reload-failed` */
export async function readAnew(place: FrontPlace, world: World): Promise<void> {
  const { passed, output } = await bring(place, world);
  if (passed) return;
  const { title, words } = programOf(place.proxy);
  throw new Trouble({
    code: 'reload-failed',
    message: `${title} did not read its files anew: ${output}. It goes on with what it has.`,
    remedy: `Fix that. It works when this does: ${words.reload({ container: place.container?.name ?? null })}`,
  });
}

/** The proxy goes on without our files. */
async function moveToNone(place: FrontPlace, world: World): Promise<string | null> {
  const include = ownInclude(await readFrontJournal(place.folder));
  if (include !== null) {
    await rm(include, { force: true }).catch((cause: unknown) => {
      throw writeTrouble(include, cause);
    });
    await syncFolder(dirname(include)).catch(() => undefined);
  }
  await switchToNone(place.folder);
  const { program, installed } = await runnerOf(place, world.env);
  const brought = await (installed.stop === undefined ? installed.reload(program) : installed.stop(program));
  // One that does not run serves nothing of ours already.
  if ('stopped' in brought) return null;
  if (!brought.passed) return brought.output;
  for (let left = markPatienceMs / 100; left > 0; left -= 1) {
    if ((await saidMark(place, world)) === null) return null;
    await sleep(100);
  }
  return 'it still answers the mark';
}

async function bring(place: FrontPlace, { env }: World, isTested = false): Promise<Tried> {
  const { program, installed } = await runnerOf(place, env);
  const reloaded = await installed.reload(program, isTested);
  return reloaded.stopped === true ? installed.start(program) : reloaded;
}

/** Makes the file by which the proxy reads ours. */
export async function makeInclude(path: string, line: string): Promise<void> {
  await writeWhole(path, `# Made by \`mile-marker install\`; \`mile-marker undo front\` removes it.\n${line}\n`);
}

/** Back to what was there before, and into the journal. Null when that stands now, else what keeps it from it. */
export async function goBack(
  place: FrontPlace,
  { from, to }: Pick<Begun, 'from' | 'to'>,
  why: string,
  world: World,
): Promise<string | null> {
  // What was switched off for an edition comes back with what was before it.
  await bringBack(place, from === null ? null : to);
  const problem = from === null ? await moveToNone(place, world) : await moveTo(place, from, world);
  if (problem === null) await noteFront(place.folder, { event: 'returned', at: stamp(world), from: to, to: from, why });
  return problem;
}

/** In words: what the front serves now. */
export function liveWords(edition: number | null): string {
  return edition === null ? 'nothing of this map' : `edition ${editionNumber(edition)}`;
}
