import { filesOf } from '../../core/gates/check.ts';
import { X509Certificate } from 'node:crypto';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { FilesOfMap, PeopleFile, ShownFolder } from '../../core/plan/files-of-map.ts';
import { parsePasswordFile } from '../../core/people/password-file.ts';
import type { Plan, PlannedLeads } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { proxyUser, type FileUser } from '../host/file-user.ts';
import { codeOf, reasonOf } from '../trouble.ts';
import { deviceCheckOf } from '../../core/gates/devices.ts';
import { devicesFound } from './device-files.ts';
import { statePaths } from './state-folder.ts';
import { whatBars } from './readable-by.ts';

/** Looks at every file and folder that a plan's gates, folders and services need. */
export function filesOfMap({ roads, front }: Plan, mapFile: string): FilesOfMap {
  const user = proxyUser(front);
  const leads = roads.flatMap(({ parts }) => parts.map((part) => part.leads));
  const people = roads.flatMap(({ gate }) => filesOf(gate));
  return {
    people: new Map([...new Set(people)].map((file) => [file, peopleFile(file, user)])),
    devices: roads.some(({ gate }) => deviceCheckOf(gate) !== null) ? devicesFound(statePaths(mapFile)) : null,
    folders: new Map(foldersOf(leads).map((folder) => [folder, shownFolder(folder, user)])),
    authorities: new Map(authoritiesOf(leads).map((file) => [file, authorityProblem(file)])),
    bars: user === null || !programOf(front.proxy).limits.readsFiles ? [] : barsOfWritten(mapFile, user),
    proxyUser: user?.name ?? null,
    mapFolder: dirname(mapFile),
  };
}

/** The written files lie beside the map, in folders that are ours and open. */
function barsOfWritten(mapFile: string, user: FileUser): string[] {
  return whatBars(mapFile, user).filter((path) => path !== mapFile);
}

function foldersOf(leads: readonly PlannedLeads[]): string[] {
  return [...new Set(leads.flatMap((one) => (one.kind === 'folder' ? [one.path] : [])))];
}

function authoritiesOf(leads: readonly PlannedLeads[]): string[] {
  const trusts = leads.flatMap((one) => (one.kind === 'service' && one.upstream !== null ? [one.upstream.trust] : []));
  return [...new Set(trusts.flatMap((trust) => (trust.kind === 'ca' ? [trust.file] : [])))];
}

function peopleFile(path: string, user: FileUser | null): PeopleFile {
  try {
    const { mode } = statSync(path);
    const file = parsePasswordFile(readFileSync(path, 'utf8'));
    return { state: 'read', file, mode: mode & 0o777, bars: user === null ? [] : whatBars(path, user) };
  } catch (error) {
    return codeOf(error) === 'ENOENT' ? { state: 'missing' } : { state: 'unreadable', why: reasonOf(error) };
  }
}

function shownFolder(path: string, user: FileUser | null): ShownFolder {
  try {
    if (!statSync(path).isDirectory()) return { state: 'no-folder' };
    const index = join(path, 'index.html');
    const hasIndex = existsSync(index);
    const bars = user === null ? [] : [...whatBars(path, user), ...(hasIndex ? whatBars(index, user) : [])];
    return { state: 'there', hasIndex, bars: [...new Set(bars)] };
  } catch {
    return { state: 'missing' };
  }
}

function authorityProblem(file: string): string | null {
  try {
    const certificate = new X509Certificate(readFileSync(file));
    return Date.parse(certificate.validTo) < Date.now() ? 'it is expired or not valid yet' : null;
  } catch (error) {
    return codeOf(error) === null || codeOf(error)?.startsWith('ERR_') === true
      ? 'it contains no PEM certificate'
      : reasonOf(error);
  }
}
