import { checkOf } from '../../core/gates/check.ts';
import { randomBytes } from 'node:crypto';
import { chown, lstat, readFile, stat } from 'node:fs/promises';
import { resolve, dirname } from 'node:path';
import { ensureFolder, writeWhole } from '../../adapters/files/safe-write.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { proxyUser } from '../../adapters/host/file-user.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { codeOf, reasonOf, Trouble } from '../../adapters/trouble.ts';
import { nameProblem, parsePasswordFile, withPerson, type PasswordFile } from '../../core/people/password-file.ts';
import { groupedBy } from '../../core/grouped-by.ts';
import { builtInGates } from '../../core/map/built-in-gates.ts';
import type { SiteMap } from '../../core/map/site-map.ts';

export interface PeoplePlace {
  /** Absolute path of the password file. */
  file: string;
  /** Gates of the map that use it. */
  gates: string[];
}

/**
 * The password file that is meant: of a gate, else the only one of the map.
 *
 * @throws Trouble `gate-without-people`, `which-people`
 */
export function whichFile(map: SiteMap, mapFile: string, gate: string | undefined): PeoplePlace {
  const withPeople = gatesWithPeople(map);
  const files = [...new Set(withPeople.map(({ path }) => path))];
  const [only, second] =
    gate === undefined ? files : withPeople.filter(({ name }) => name === gate).map(({ path }) => path);
  if (only === undefined) throw noPeople(map, gate);
  if (second !== undefined && gate === undefined) {
    throw new Trouble({
      code: 'which-people',
      message: `The map has more than one password file: ${files.join(', ')}.`,
      remedy: `Choose one: --gate ${withPeople[0]?.name ?? ''}`,
      exitCode: 2,
    });
  }
  const gates = withPeople.filter(({ path }) => path === only).map(({ name }) => name);
  return { file: resolve(dirname(mapFile), only), gates };
}

/**
 * Every password file of the map, with the gates that ask it; of one gate its own.
 *
 * @throws Trouble `gate-without-people`
 */
export function peopleFiles(map: SiteMap, mapFile: string, gate: string | undefined): PeoplePlace[] {
  if (gate !== undefined) return [whichFile(map, mapFile, gate)];
  const withPeople = gatesWithPeople(map);
  if (withPeople.length === 0) throw noPeople(map, gate);
  return [...groupedBy(withPeople, ({ path }) => path)].map(([path, gates]) => ({
    file: resolve(dirname(mapFile), path),
    gates: gates.map(({ name }) => name),
  }));
}

function gatesWithPeople({ gates }: SiteMap): Array<{ name: string; path: string }> {
  return gates.flatMap((gate) => {
    const check = checkOf(gate, 'people');
    return check === null ? [] : [{ name: gate.name, path: check.file }];
  });
}

function noPeople(map: SiteMap, gate: string | undefined): Trouble {
  const isThere = map.gates.some(({ name }) => name === gate);
  const isBuiltIn = gate !== undefined && builtInGates.includes(gate);
  const name = gate === undefined || isBuiltIn ? 'wardens' : gate;
  const file = `people: people/${name}.htpasswd`;
  const remedy = isThere
    ? `Add to it: ${file}`
    : `Add to the map: gates: {${name}: {${file}}}, and \`gate: ${name}\` to a road.`;
  const message =
    gate === undefined
      ? 'No gate of the map has people.'
      : isThere || isBuiltIn
        ? `The gate \`${gate}\` has no people.`
        : `The map has no gate \`${gate}\`.`;
  return new Trouble({ code: 'gate-without-people', message, remedy, exitCode: 2 });
}

/** Reads a password file; one that is not there yet has nobody in it. @throws Trouble `people-unreadable` */
export async function readPeople(file: string): Promise<PasswordFile & { text: string }> {
  try {
    const text = await readFile(file, 'utf8');
    return { ...parsePasswordFile(text), text };
  } catch (cause) {
    if (codeOf(cause) === 'ENOENT') return { people: [], bad: [], text: '' };
    const message = `The password file ${file} cannot be read: ${reasonOf(cause)}.`;
    throw new Trouble({ code: 'people-unreadable', message, remedy: 'Run this as the user who owns it.', cause });
  }
}

/** @property others people who were in the file before @property readableBy the group that the file was opened to, or null */
interface PersonSet {
  file: string;
  fresh: boolean;
  others: number;
  readableBy: string | null;
}

/** Sets or adds one person's hash; everything else in the file stays byte for byte. */
export async function setPerson(
  { file }: PeoplePlace,
  { name, hash, proxy }: { name: string; hash: string; proxy: ProxyName },
): Promise<PersonSet> {
  const { people, text } = await readPeople(file);
  const readableBy = await writePeople(file, withPerson(text, name, hash), proxy);
  const others = people.filter((one) => one.name !== name).length;
  return { file, fresh: others === people.length, others, readableBy };
}

/** Takes a person out. @throws Trouble `person-unknown`, `last-person` */
export async function removePerson({ file }: PeoplePlace, name: string, proxy: ProxyName): Promise<void> {
  const { people, text } = await readPeople(file);
  if (!people.some((one) => one.name === name)) {
    const known = people.map((one) => one.name).join(', ');
    throw new Trouble({
      code: 'person-unknown',
      message: `Nobody is called \`${name}\` in ${file}.`,
      remedy: known === '' ? 'The file has nobody in it.' : `Name one of: ${known}.`,
      exitCode: 2,
    });
  }
  if (people.length === 1) {
    throw new Trouble({
      code: 'last-person',
      message: `\`${name}\` is the only person in ${file}. An empty gate would lock everyone out.`,
      remedy: 'Add somebody else first, or remove `people` from the gate.',
      exitCode: 2,
    });
  }
  await writePeople(file, withPerson(text, name, null), proxy);
}

/**
 * Writes a password file so that nobody reads it but its owner and the proxy. What it had of owner and rights stays; a new one is
 * opened to the group that the proxy runs as when we may, since it reads it at each request.
 */
async function writePeople(file: string, text: string, proxy: ProxyName): Promise<string | null> {
  await ensureFolder(dirname(file));
  if ((await lstat(file).catch(() => null))?.isSymbolicLink() === true) {
    const message = `${file} is a link, and nothing is written through links.`;
    throw new Trouble({ code: 'people-is-link', message, remedy: 'Write the real file in the map.' });
  }
  const before = await stat(file).catch(() => null);
  const isRoot = process.getuid?.() === 0;
  // Nobody else reads the file of a server that has people in its own configuration.
  const isRead = programOf(proxy).limits.people === 'file';
  const user = isRead ? proxyUser({ proxy, container: null }) : null;
  const group = user?.groups[0];
  const mode = before === null ? (group === undefined ? 0o600 : 0o640) : before.mode & 0o777;
  await writeWhole(file, text, mode);
  // The file is a new one in place of the old, so its owner has to be set again.
  if (before !== null && isRoot) await chown(file, before.uid, before.gid);
  else if (group !== undefined) await chown(file, (await stat(file)).uid, group);
  return before === null && group !== undefined ? (user?.name ?? null) : null;
}

/** @throws Trouble `name-unusable` */
export function assertName(name: string): void {
  const why = nameProblem(name);
  if (why === null) return;
  throw new Trouble({
    code: 'name-unusable',
    message: `\`${name}\` cannot be a name: ${why}.`,
    remedy: 'Choose another, such as edda.',
    exitCode: 2,
  });
}

/** A password that nobody guesses and that can be read out: 100 bits from an alphabet without look-alikes. */
export function makePassword(): string {
  const letters = 'abcdefghijkmnpqrstuvwxyz23456789';
  const groups = Array.from({ length: 4 }, () => [...randomBytes(5)].map((byte) => letters[byte % 32] ?? '').join(''));
  return groups.join('-');
}
