import type { PlaceEntry } from '../../core/live/entries.ts';
import { engineAddress } from '../../adapters/engine/address.ts';
import { askMark } from '../../adapters/processes/wait-for-mark.ts';
import type { Env, InstalledProxy, ProxyAdapter, Reloading, Tried } from '../../adapters/proxies/adapter.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { installedBuiltin } from '../../adapters/proxies/builtin/installed.ts';
import { ownUsers } from '../../adapters/host/own-users.ts';
import { listenersAt } from '../../adapters/host/sockets.ts';
import { inCluster } from '../../adapters/proxies/in-cluster.ts';
import { inContainer } from '../../adapters/proxies/in-container.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { programOf } from '../../core/proxies/programs.ts';

/** Where a front is: on this machine, in a container, or a service of a cluster. */
export interface FrontPlace extends PlaceEntry {
  /** The folder of its editions. */
  folder: string;
  /** Absolute path of the map. */
  map: string;
}

export interface World {
  env: Env;
  now: () => Date;
  signal: AbortSignal;
}

/** The proxy of a front as it runs on this machine. @property adapter null for the one that is part of this program */
interface Runner {
  program: string;
  installed: InstalledProxy;
  adapter: ProxyAdapter | null;
}

type Whose = Omit<FrontPlace, 'folder' | 'mark'>;

/** @throws Trouble `proxy-missing`, `no-engine` */
export async function runnerOf(place: Whose, env: Env): Promise<Runner> {
  const { proxy, map, container } = place;
  if (container !== null) return containerRunner(place, env);
  const adapter = adapterOf(proxy);
  if (adapter === null) return { program: map, installed: installedBuiltin, adapter };
  return { program: await adapter.find(env), installed: adapter.installed, adapter };
}

function containerRunner({ proxy, map, container }: Whose, env: Env): Runner {
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

/** Whether two fronts are one and the same: what one of them takes up, the other runs. */
export function isSamePlace(one: PlaceEntry, other: PlaceEntry): boolean {
  const [a, b] = [one.container, other.container];
  return one.proxy === other.proxy && a?.name === b?.name && (a?.inCluster ?? false) === (b?.inCluster ?? false);
}

/** Whoever listens there can say what he likes: only what root, the owner of the map or this user made is believed. */
function isAnsweredByUs({ mark, map }: FrontPlace): boolean {
  const own = ownUsers(map);
  return listenersAt(mark.address, mark.port)?.every((uid) => own.has(uid)) !== false;
}

/** What the front answers to its mark; null when that is nothing. A container's loopback is its own, so it is asked inside. */
export async function saidMark(place: FrontPlace, { env, signal }: World): Promise<string | null> {
  if (place.container === null) return isAnsweredByUs(place) ? askMark(place.mark, signal, 2000) : null;
  const runner = await runnerOf(place, env).catch(() => null);
  return (await runner?.installed.mark?.(place.mark)) ?? null;
}

/** Has a front take up what lies on the disk, and starts one that does not run. */
export async function bring(place: FrontPlace, { env }: World, how?: Reloading): Promise<Tried> {
  const { program, installed } = await runnerOf(place, env);
  const reloaded = await installed.reload(program, how);
  return reloaded.stopped === true ? installed.start(program) : reloaded;
}

/** Has the proxy read its certificates and password files anew. @throws Trouble `reload-failed` */
export async function readAnew(place: FrontPlace, world: World): Promise<void> {
  const { passed, output } = await bring(place, world, { isMoved: false });
  if (passed) return;
  const { title, words } = programOf(place.proxy);
  throw new Trouble({
    code: 'reload-failed',
    message: `${title} did not reload its files: ${output}. It keeps the old ones.`,
    remedy: `Fix that. It is fixed when this works: ${words.reload({ container: place.container?.name ?? null })}`,
  });
}

/** In words: what is live. */
export function liveWords(edition: number | null): string {
  return edition === null ? 'nothing of this map' : `edition ${editionNumber(edition)}`;
}
