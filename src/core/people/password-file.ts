/**
 * One line of a password file: `NAME:HASH`, as htpasswd(1) writes it and as servers read it
 * (ngx_http_auth_basic_module, mod_authn_file).
 */
interface Person {
  name: string;
  hash: string;
  line: number;
}

/** A line that is none, and why. */
interface BadLine {
  line: number;
  why: 'no-colon' | 'no-name' | 'no-hash' | 'twice';
  name: string;
}

export interface PasswordFile {
  people: Person[];
  bad: BadLine[];
}

/** Reads a password file. Empty lines and comments (`#`) are passed over; what follows a second colon is a note of other programs. */
export function parsePasswordFile(text: string): PasswordFile {
  const people: Person[] = [];
  const bad: BadLine[] = [];
  for (const [index, raw] of text.split(/\r?\n/).entries()) {
    const line = index + 1;
    if (raw.trim() === '' || raw.startsWith('#')) continue;
    const [name = '', hash] = raw.split(':');
    const why = problemOf(name, hash, people);
    if (why === null) people.push({ name, hash: hash ?? '', line });
    else bad.push({ line, why, name: hash === undefined ? '' : name });
  }
  return { people, bad };
}

function problemOf(name: string, hash: string | undefined, people: readonly Person[]): BadLine['why'] | null {
  if (hash === undefined) return 'no-colon';
  if (name === '') return 'no-name';
  if (hash === '') return 'no-hash';
  // Servers take the first line of a name; the second is a password that somebody believes in.
  return people.some((one) => one.name === name) ? 'twice' : null;
}

/** Why a name cannot stand in a password file, or null. RFC 7617 §2: no colon, no control character. */
export function nameProblem(name: string): string | null {
  if (name === '') return 'it is empty';
  if (name.includes(':')) return 'it has a colon, which ends the name in basic authentication';
  if (/[\u0000-\u001f\u007f]/.test(name)) return 'it has a control character';
  if (name.startsWith('#')) return 'a line that begins with # is a comment';
  if (name.trim() !== name) return 'it begins or ends with a blank';
  return new TextEncoder().encode(name).length > 255 ? 'it is longer than 255 bytes' : null;
}

/** The text with one person's line set, added at the end, or taken away (`hash: null`). All else stays as it is. */
export function withPerson(text: string, name: string, hash: string | null): string {
  const ending = text.includes('\r\n') ? '\r\n' : '\n';
  const lines = text === '' ? [] : text.replace(/\r?\n$/, '').split(/\r?\n/);
  const isTheirs = (line: string): boolean =>
    !line.startsWith('#') && line.split(':', 1)[0] === name && line.includes(':');
  const at = lines.findIndex(isTheirs);
  const kept = lines.filter((line, index) => !isTheirs(line) || (hash !== null && index === at));
  const set =
    hash === null
      ? kept
      : at === -1
        ? [...kept, `${name}:${hash}`]
        : kept.map((line) => (isTheirs(line) ? `${name}:${hash}` : line));
  return set.length === 0 ? '' : `${set.join(ending)}${ending}`;
}
