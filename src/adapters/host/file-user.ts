import { readFileSync, statSync } from 'node:fs';
import type { ProxyName } from '../../core/proxies/names.ts';
import { programOf } from '../../core/proxies/programs.ts';

/** A user as files know it. @property groups its own group first */
export interface FileUser {
  name: string;
  uid: number;
  groups: number[];
}

/** The first of these users that this machine has; null when it has none of them. */
export function fileUser(usual: readonly string[], folder = '/etc'): FileUser | null {
  const users = linesOf(`${folder}/passwd`);
  const found = usual.flatMap((name) => users.filter(([user]) => user === name))[0];
  if (found === undefined) return null;
  const [name = '', , uid, gid] = found;
  const others = linesOf(`${folder}/group`).filter(([, , , members = '']) => members.split(',').includes(name));
  return { name, uid: Number(uid), groups: [Number(gid), ...others.map(([, , id]) => Number(id))] };
}

/** The user whose rights decide what the proxy may read, when another one than ours: root starts it, and it gives that up. */
export function proxyUser({ proxy, container }: { proxy: ProxyName; container: string | null }): FileUser | null {
  // Inside a container other users count, and other rights.
  if (container !== null || process.getuid?.() !== 0) return null;
  return fileUser(programOf(proxy).users);
}

/** Whose a folder is, by name where this machine has one; null for root. */
export function ownerName(folder: string): string | null {
  const uid = String(statSync(folder).uid);
  if (uid === '0') return null;
  return linesOf('/etc/passwd').find(([, , id]) => id === uid)?.[0] ?? uid;
}

function linesOf(file: string): string[][] {
  try {
    return readFileSync(file, 'utf8')
      .split('\n')
      .map((line) => line.split(':'));
  } catch {
    return [];
  }
}
