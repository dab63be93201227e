import type { PageKind } from '../map/site-map.ts';
import type { Plan } from '../plan/plan.ts';
import type { WrittenFile } from './renderer.ts';

/** The statuses of the front's own answers that each page stands for. */
export const pageStatuses: Readonly<Record<PageKind, readonly number[]>> = {
  paused: [503],
  down: [502, 504],
  refused: [403],
  unknown: [404],
};

/** Path of a page beside the other written files. */
export function pagePath(kind: PageKind): string {
  return `pages/${kind}.html`;
}

/** The pages of a map as they are written for a server that reads them from files. */
export function pageFiles({ pages }: Plan): WrittenFile[] {
  return Object.entries(pages).map(([kind, content]) => ({ path: pagePath(kind as PageKind), content }));
}
