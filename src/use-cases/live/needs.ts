import { join } from 'node:path';
import type { Needs } from '../../adapters/proxies/adapter.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { FrontPlace } from './front-moves.ts';

export function needsOf({ plan }: { plan: Plan }): Needs {
  return { ports: [plan.front.listen.http, plan.front.listen.https], raw: plan.ports.length > 0 };
}

/** The written file that a server is told of. */
export function entryOf({ folder, proxy }: Pick<FrontPlace, 'folder' | 'proxy'>): string {
  return join(folder, 'current', programOf(proxy).renderer?.entry ?? '');
}
