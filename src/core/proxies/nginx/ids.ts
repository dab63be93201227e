import { digestOf } from '../digest.ts';
import { ownHeader } from './quote.ts';

/** Name of one of a road's own variables, without the dollar sign. */
export function variable(road: string, what: string): string {
  return `mm_${digestOf(road)}_${what}`;
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
