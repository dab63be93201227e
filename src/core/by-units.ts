/** Orders texts by their code units: the same on every machine, whatever its language, and without the tables of one, which take 25 ms to load. */
export function byUnits(a: string, b: string): number {
  return a === b ? 0 : a < b ? -1 : 1;
}

/** As people count: hide-2 before hide-10. Texts that differ in nothing but zeros before a number are ordered by their units. */
export function naturally(a: string, b: string): number {
  const [left, right] = [pieces(a), pieces(b)];
  for (const [at, piece] of left.entries()) {
    const other = right[at];
    if (other === undefined) return 1;
    const both = digits.test(piece) && digits.test(other);
    const order = both ? piece.length - other.length || byUnits(piece, other) : byUnits(piece, other);
    if (order !== 0) return order;
  }
  return left.length - right.length || byUnits(a, b);
}

const digits = /^\d/;

/** Runs of digits, without zeros before them, and what is between. */
function pieces(text: string): string[] {
  return text.match(/\d+|\D+/g)?.map((piece) => piece.replace(/^0+(?=\d)/, '')) ?? [];
}
