import { readCurrent, readState } from '../../adapters/files/editions.ts';
import { movingBetween, type Moving } from '../../core/proxies/moving.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { movedCases, type MovedCases } from '../../core/rehearsal/moved.ts';
import type { Site } from '../map/load.ts';
import { planOf } from './what-runs.ts';

export type MovingOf = Moving & MovedCases;

/** What changes for visitors when the map goes live on its proxy; null when it is on that one already, or on none. */
export async function movingOf({ plan, paths }: Pick<Site, 'plan' | 'paths'>): Promise<MovingOf | null> {
  const to = plan.front.proxy;
  const from = await proxyBefore(paths.front);
  if (from === null || from === to) return null;
  return { ...movingBetween(from, to, plan), ...movedCases(from, to, plan) };
}

/** The one that was brought live last; where none was, the one that the newest edition is for. */
async function proxyBefore(folder: string): Promise<ProxyName | null> {
  const place = (await readState(folder)).live?.place ?? null;
  if (place !== null) return place.proxy;
  const files = (await readCurrent(folder).catch(() => null))?.files ?? [];
  return planOf(files)?.front.proxy ?? null;
}
