import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { keptPath } from '../../adapters/files/kept-files.ts';
import type { Needs } from '../../adapters/proxies/adapter.ts';
import type { Replaced } from '../../core/live/entries.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import type { FrontPlace } from './front-moves.ts';

export function needsOf({ plan }: { plan: Plan }): Needs {
  return { ports: [plan.front.listen.http, plan.front.listen.https], raw: plan.ports.length > 0, texts: [] };
}

/** The same, with files that come back as they were when it goes live. */
export async function needsWith(site: Pick<Site, 'plan' | 'paths'>, restores: readonly Replaced[]): Promise<Needs> {
  const texts = restores.map(({ kept }) => readFile(keptPath(site.paths.front, kept), 'latin1').catch(() => ''));
  return { ...needsOf(site), texts: await Promise.all(texts) };
}

/** The written file that a server is told of. */
export function entryOf({ folder, proxy }: Pick<FrontPlace, 'folder' | 'proxy'>): string {
  return join(folder, 'current', programOf(proxy).renderer?.entry ?? '');
}

/** What was switched off when a program gave its ports away, and comes back with it. */
export function comesBackWith({ proxy }: Pick<FrontPlace, 'proxy'>, replaced: readonly Replaced[]): Replaced[] {
  return replaced.filter(({ leaves }) => leaves === proxy).reverse();
}
