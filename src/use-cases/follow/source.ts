import type { EngineHeard } from '../../adapters/files/found.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import type { HeardEngines } from '../survey/take-inventory.ts';

/** Where `follow` learns what exists: engines themselves, or what another process found there. */
export interface Source {
  /** Begins to listen; `onNews` is called whenever `read` may say something else. */
  start: (onNews: () => void) => void;
  /** From now on the engines of this map. */
  use: (map: SiteMap) => void;
  read: () => Promise<HeardEngines>;
  /** The next `read` is to look at everything anew, whatever was told. */
  doubt: () => void;
  stop: () => void;
}

/** What is wrong with asking engines, by the names of their machines; that of this machine has none. */
export function problemsOf({ engine, machines }: HeardEngines): Map<string, string> {
  const all: Array<[string, EngineHeard | null]> = [['', engine], ...machines];
  return new Map(
    all.flatMap(([name, heard]) => {
      const trouble = heard?.trouble ?? null;
      return trouble === null ? [] : [[name, trouble.message]];
    }),
  );
}
