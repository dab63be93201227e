import { readFileSync } from 'node:fs';

/** A user as files know it. @property groups its own group first */
export interface FileUser {
  name: string;
  uid: number;
  groups: number[];
}

/** Users that Debian's and other packages of nginx run its workers as. */
const usual = ['www-data', 'nginx', 'http', 'nobody'];

/** The user whose rights decide what nginx may read; null when this machine has none of the usual ones. */
export function nginxUser(folder = '/etc'): FileUser | null {
  const users = linesOf(`${folder}/passwd`);
  const found = usual.flatMap((name) => users.filter(([user]) => user === name))[0];
  if (found === undefined) return null;
  const [name = '', , uid, gid] = found;
  const others = linesOf(`${folder}/group`).filter(([, , , members = '']) => members.split(',').includes(name));
  return { name, uid: Number(uid), groups: [Number(gid), ...others.map(([, , id]) => Number(id))] };
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
