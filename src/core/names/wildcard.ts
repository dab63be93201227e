/** A name that stands for all names one label below another: `*.NAME` (RFC 9525 §6.3). */
export function isWildcard(name: string): boolean {
  return name.startsWith('*.');
}

/** The wildcard that stands for a name. */
export function wildcardOver(name: string): string {
  return `*${name.slice(name.indexOf('.'))}`;
}

/** Some name that a wildcard stands for, and that nobody has: what is asked in place of all of them. */
export function nameUnder(wildcard: string, taken: ReadonlySet<string>): string {
  for (let count = 0; ; count += 1) {
    const name = `any-name${count === 0 ? '' : String(count)}${wildcard.slice(1)}`;
    if (!taken.has(name)) return name;
  }
}

/** Folders, files and ids may not contain `*`; no host name begins with `_` here, so that this is nobody else's. */
export function withoutStar(name: string): string {
  return name.replace(/^\*\./, '_any.');
}
