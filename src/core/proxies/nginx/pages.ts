import type { PageKind } from '../../map/site-map.ts';
import type { Plan } from '../../plan/plan.ts';
import { pageStatuses } from '../page-files.ts';
import { block, comment, quoteText } from './quote.ts';

/** So much of a text stands in one word of a configuration, of which nginx takes 4096 bytes. */
const mostLetters = 800;

/** The texts themselves, as variables. In files of their own they would have to be there for whom nginx serves as. */
export function pageMaps({ pages }: Plan): string[] {
  return Object.entries(pages).flatMap(([kind, text]) => {
    const chunks = chunksOf(text);
    const name = (index: number): string => `$mile_marker_page_${kind}${String(index)}`;
    return [
      comment(`The page for \`${kind}\`.`),
      ...chunks.flatMap((chunk, index) => block(`map "" ${name(index)}`, [`default ${quoteText(chunk)};`])),
      ...block(`map "" ${variableOf(kind)}`, [`default "${chunks.map((_, index) => name(index)).join('')}";`]),
    ];
  });
}

function chunksOf(text: string): string[] {
  const letters = [...text];
  const chunks: string[] = [];
  for (let at = 0; at < letters.length; at += mostLetters) chunks.push(letters.slice(at, at + mostLetters).join(''));
  return chunks;
}

function variableOf(kind: string): string {
  return `$mile_marker_page_${kind}`;
}

/** An answer of the front itself, with its page where the map has one: where nothing but this is answered. */
export function returnLines({ pages }: Plan, kind: PageKind, status: number): string[] {
  return pages[kind] === undefined
    ? [`return ${String(status)};`]
    : [...asPage, `return ${String(status)} ${variableOf(kind)};`];
}

/** What \`return\` sends is called what the target ends in, if that has a type. */
const asPage = [...block('types', []), 'default_type "text/html; charset=utf-8";'];

/** In the place whose refusal a page stands for. */
export function pageLine({ pages }: Plan, kind: PageKind): string[] {
  return pages[kind] === undefined
    ? []
    : pageStatuses[kind].map((status) => `error_page ${String(status)} ${locationOf(kind, status)};`);
}

/** To where those lines lead, in each server that has one. */
export function pageLocations(plan: Plan, kinds: readonly PageKind[]): string[] {
  const shown = kinds.filter((kind) => plan.pages[kind] !== undefined);
  if (shown.length === 0) return [];
  return [
    // What came to its location by such a line itself has its page too.
    'recursive_error_pages on;',
    ...shown.flatMap((kind) =>
      pageStatuses[kind].flatMap((status) =>
        block(`location ${locationOf(kind, status)}`, returnLines(plan, kind, status)),
      ),
    ),
  ];
}

function locationOf(kind: PageKind, status: number): string {
  return `@${kind}${String(status)}`;
}
