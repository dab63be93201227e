import type { PlannedLeads } from '../plan/plan.ts';
import { restAfter } from './target.ts';

/** Where a redirect leads a target: the rest of its path in place of the prefix, one slash where the two meet. */
export function locationOf({ url, below }: Extract<PlannedLeads, { kind: 'redirect' }>, target: string): string {
  const rest = below === null ? target : (restAfter(target, below) ?? '');
  if (rest.startsWith('/') && url.endsWith('/')) return `${url}${rest.slice(1)}`;
  return `${url}${rest}`;
}
