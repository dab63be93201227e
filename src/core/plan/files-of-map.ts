import type { DeviceLedger } from '../devices/ledger.ts';
import type { PasswordFile } from '../people/password-file.ts';

/**
 * A password file as it lies on this machine.
 *
 * @property mode rights, as chmod(1) takes them
 * @property bars what keeps the proxy's user from reading it: folders above, and the file itself
 */
export type PeopleFile =
  | { state: 'missing' }
  | { state: 'unreadable'; why: string }
  | { state: 'read'; file: PasswordFile; mode: number; bars: string[] };

/** A folder that a road shows, as it lies on this machine. @property bars as for a password file */
export type ShownFolder =
  { state: 'missing' } | { state: 'no-folder' } | { state: 'there'; hasIndex: boolean; bars: string[] };

/**
 * The devices of a map as they lie on this machine.
 *
 * @property isListWritten the list that fronts read is the one that was written last
 */
export type DevicesFound =
  | { state: 'missing' }
  | { state: 'unreadable'; why: string }
  | { state: 'read'; ledger: DeviceLedger; isListWritten: boolean };

/** What lies on this machine for gates and folders, by absolute path. */
export interface FilesOfMap {
  people: ReadonlyMap<string, PeopleFile>;
  folders: ReadonlyMap<string, ShownFolder>;
  /** Null where no gate asks for a device. */
  devices: DevicesFound | null;
  /** Files of authorities for services: why one cannot be used, or null. */
  authorities: ReadonlyMap<string, string | null>;
  /** What keeps the proxy's user from reading the written files; empty where it need not, or can. */
  bars: string[];
  /** Name of the user that the proxy runs as; null when it is not another one than ours. */
  proxyUser: string | null;
  /** Absolute path of the folder that the map is in. */
  mapFolder: string;
}

export const noFiles: FilesOfMap = {
  people: new Map(),
  folders: new Map(),
  devices: null,
  authorities: new Map(),
  bars: [],
  proxyUser: null,
  mapFolder: '/site',
};
