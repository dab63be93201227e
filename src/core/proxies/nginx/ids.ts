import type { Plan } from '../../plan/plan.ts';
import { ownHeader } from './quote.ts';

/**
 * A word for a road in names of variables and zones, made from the road alone: a file must change only when its road does. Names of
 * variables have little room in nginx, so it is a digest (FNV-1a, 64 bits) and not the name.
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

/** Name of one of a road's own variables, without the dollar sign. */
export function variable(road: string, what: string): string {
  return `mm_${digestOf(road)}_${what}`;
}

/** A word for a map, since several of them may be read by one nginx, where the names of variables are shared. */
export function mapId({ map }: Pick<Plan, 'map'>): string {
  return digestOf(map).slice(0, 8);
}

/**
 * The text of a file with the names of its shared variables, and its first line, made the map's own. They are no longer than before: nginx has little
 * room for them. What a person wrote is not touched: a dollar sign
 * of theirs is written as a variable of ours (`quote`).
 */
export function scoped(content: string, id: string): string {
  return content
    .replace(/\$(\{?)mile_marker_/g, (_, brace: string) => `$${brace}mm${id}_`)
    .replace(ownHeader, `${ownHeader} (map ${id})`);
}
