import { lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { tokenIn } from '../core/certificates/challenge.ts';
import type { Plan } from '../core/plan/plan.ts';

/**
 * What is to be answered to the authority for the token that a request asks a name for, or null when none is pending. Files are
 * looked at for such targets only, and only below the folder of a name on the map.
 */
export function pendingChallenge({ challenges, roads }: Plan, host: string | null, target: string): string | null {
  const token = challenges === null ? null : tokenIn(target);
  if (challenges === null || token === null || host === null) return null;
  if (!roads.some(({ name }) => name === host)) return null;
  const file = join(challenges, host, '.well-known', 'acme-challenge', token);
  try {
    return lstatSync(file).isFile() ? readFileSync(file, 'utf8') : null;
  } catch {
    return null;
  }
}
