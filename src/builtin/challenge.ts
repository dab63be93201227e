import { lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { tokenIn } from '../core/certificates/challenge.ts';
import { hostOfHeader } from '../core/names/host-name.ts';
import type { Plan } from '../core/plan/plan.ts';
import type { AnyRequest } from './request.ts';

/**
 * What is to be answered to the authority for the token that a request asks for, or null when none is pending. Files are
 * looked at for such targets only, and only below the folder of a name on the map.
 */
export function pendingChallenge({ challenges, roads }: Plan, request: AnyRequest): string | null {
  const token = challenges === null ? null : tokenIn(request.url ?? '');
  if (challenges === null || token === null) return null;
  const host = hostOfHeader(request.headers.host ?? '');
  if (!roads.some(({ name }) => name === host)) return null;
  const file = join(challenges, host ?? '', '.well-known', 'acme-challenge', token);
  try {
    return lstatSync(file).isFile() ? readFileSync(file, 'utf8') : null;
  } catch {
    return null;
  }
}
