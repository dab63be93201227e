import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readLedger } from '../../core/devices/ledger.ts';
import type { DevicesFound } from '../../core/plan/files-of-map.ts';
import { codeOf, reasonOf } from '../trouble.ts';
import type { StatePaths } from './state-folder.ts';

/**
 * Where the devices of a map are kept. What a front reads is in a folder of its own, which a container is given; the key is in none that anybody is given.
 */
export function deviceFiles(
  paths: Pick<StatePaths, 'devices' | 'deviceKeys'>,
): Record<'authority' | 'removed' | 'key' | 'ledger', string> {
  return {
    authority: join(paths.devices, 'authority.pem'),
    removed: join(paths.devices, 'removed.crl'),
    key: join(paths.deviceKeys, 'authority.key'),
    ledger: join(paths.deviceKeys, 'devices.json'),
  };
}

/** By which the list of removed devices is known again. */
export function digestOfList(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}

function pathOf(error: unknown): string | undefined {
  return error instanceof Error ? (error as NodeJS.ErrnoException).path : undefined;
}

/** The devices of a map as they lie on this machine. */
export function devicesFound(paths: Pick<StatePaths, 'devices' | 'deviceKeys'>): DevicesFound {
  const files = deviceFiles(paths);
  const isThere = existsSync(files.authority);
  try {
    readFileSync(files.authority);
    const isWritten = digestOfList(readFileSync(files.removed, 'utf8'));
    const ledger = readLedger(readFileSync(files.ledger, 'utf8'));
    return ledger === null
      ? { state: 'unreadable', why: `${files.ledger} is no list of devices of this program` }
      : { state: 'read', ledger, isListWritten: ledger.list.digest === isWritten };
  } catch (error) {
    return codeOf(error) === 'ENOENT' && !isThere
      ? { state: 'missing' }
      : { state: 'unreadable', why: `${pathOf(error) ?? paths.devices}: ${reasonOf(error)}` };
  }
}
