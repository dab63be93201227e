/**
 * A word for a road in names of variables and zones, made from the road alone: a file must change only when its road does. Names of
 * variables have little room, so it is a digest (FNV-1a, 64 bits) and not the name.
 */
export function digestOf(name: string): string {
  // All words of one road are made after each other.
  if (last.name !== name) last = { name, digest: workOut(name) };
  return last.digest;
}

let last = { name: '', digest: '' };

function workOut(name: string): string {
  let hash = 0xcbf29ce484222325n;
  for (const letter of name) {
    hash = BigInt.asUintN(64, (hash ^ BigInt(letter.codePointAt(0) ?? 0)) * 0x100000001b3n);
  }
  return hash.toString(16).padStart(16, '0');
}
