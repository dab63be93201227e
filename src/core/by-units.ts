/** Orders texts by their code units: the same on every machine, whatever its language, and without the tables of one, which take 25 ms to load. */
export function byUnits(a: string, b: string): number {
  return a === b ? 0 : a < b ? -1 : 1;
}
