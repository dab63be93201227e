/** What has the same key stands together, in the order in which it came. */
export function groupedBy<T>(all: readonly T[], key: (one: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const one of all) {
    const name = key(one);
    const group = groups.get(name);
    if (group === undefined) groups.set(name, [one]);
    else group.push(one);
  }
  return groups;
}
