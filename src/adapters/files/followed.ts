import { existsSync } from 'node:fs';
import type { StatePaths } from './state-folder.ts';

/** Whether `follow` runs for this map. */
export async function isFollowed({ following }: Pick<StatePaths, 'following'>): Promise<boolean> {
  if (!existsSync(following)) return false;
  // Loaded only where it counts.
  const { isHeld } = await import('./lock.ts');
  return isHeld(following);
}
