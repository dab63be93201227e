import type { ServerBlock } from './server-block.ts';

/** The identity of a map of which nothing was written yet; no map is given this one. */
export const noIdentity = '00000000';

/**
 * By what the written files of one map are told from those of others in the same server.
 *
 * @property id the map's identity @property holds whether a file lies among this map's own written ones
 */
export interface OwnFiles {
  id: string;
  holds: (file: string) => boolean;
}

/** Whose a file is that Mile Marker wrote: this map's, another's, or that of another map with the same identity. */
export type Whose = 'own' | 'other' | 'twin';

/**
 * A file is this map's own where it lies, whatever its first line has: that may be of an earlier version. One that bears this map's identity and lies
 * elsewhere is a copy's.
 *
 * @param id what the first line of the file has; empty when it has none
 * @param own null takes the files of every map for one's own
 */
export function whose(id: string, file: string, own: OwnFiles | null): Whose {
  if (own === null || id === '' || own.holds(file)) return 'own';
  return id === own.id ? 'twin' : 'other';
}

/** What is left of a server of a file that Mile Marker wrote: nothing of one's own. */
export function ofOthers(block: ServerBlock, owner: Whose): ServerBlock[] {
  if (owner === 'own') return [];
  return [{ ...block, ofAnotherMap: true, ...(owner === 'twin' ? { isTwin: true as const } : {}) }];
}
