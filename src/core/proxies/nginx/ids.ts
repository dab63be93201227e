/**
 * A word for a road in names of variables and zones, made from the road alone: a file must change only when its road does. Names of
 * variables have little room in nginx, so it is a digest (FNV-1a, 64 bits) and not the name.
 */
function roadId(name: string): string {
  let hash = 0xcbf29ce484222325n;
  for (const letter of name) {
    hash = BigInt.asUintN(64, (hash ^ BigInt(letter.codePointAt(0) ?? 0)) * 0x100000001b3n);
  }
  return hash.toString(16).padStart(16, '0');
}

/** Name of one of a road's own variables, without the dollar sign. */
export function variable(road: string, what: string): string {
  return `mm_${roadId(road)}_${what}`;
}
