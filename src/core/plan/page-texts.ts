import type { PageKind } from '../map/site-map.ts';

/**
 * A file of `pages` as it lies on this machine.
 *
 * @property text null when it cannot be shown, and `why` says why
 */
export interface ReadPage {
  kind: PageKind;
  path: string;
  text: string | null;
  why: string | null;
}

/** As much as every proxy can answer in one piece. */
export const longestPageBytes = 30 * 1024;
