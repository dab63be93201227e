import type { SiteMap } from '../../core/map/site-map.ts';
import { byHand } from './by-hand.ts';
import { byProgram } from './by-program.ts';
import { byUpdate } from './by-update.ts';
import type { ReadWay, RecordWay } from './way.ts';

/** Every way that a map can say; by hand where it says none. */
const ways: readonly ReadWay[] = [byUpdate, byProgram];

/**
 * How the map says that records are published.
 *
 * @param folder of the map
 * @throws Trouble what is wrong with the way that it says, such as `tsig-form`
 */
export async function recordWay(dns: SiteMap['dns'], folder: string): Promise<RecordWay> {
  for (const way of ways) {
    const found = await way(dns, folder);
    if (found !== null) return found;
  }
  return byHand;
}
