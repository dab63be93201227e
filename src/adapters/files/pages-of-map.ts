import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import type { SiteMap } from '../../core/map/site-map.ts';
import { longestPageBytes, type ReadPage } from '../../core/plan/page-texts.ts';
import { codeOf, reasonOf } from '../trouble.ts';

/** Reads the pages of a map. @param mapFolder absolute path of the folder that it is in */
export function pagesOfMap({ pages }: Pick<SiteMap, 'pages'>, mapFolder: string): ReadPage[] {
  return pages.map(({ kind, path }) => ({ kind, path, ...readPage(resolve(mapFolder, path)) }));
}

function readPage(path: string): Pick<ReadPage, 'text' | 'why'> {
  const unfit = (why: string): Pick<ReadPage, 'text' | 'why'> => ({ text: null, why });
  try {
    const bytes = readFileSync(path);
    if (bytes.length > longestPageBytes)
      return unfit(`it has ${String(Math.ceil(bytes.length / 1024))} KiB, and a page may have 30 KiB`);
    const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    return text.trim() === '' ? unfit('it is empty') : { text, why: null };
  } catch (error) {
    if (codeOf(error) === 'ENOENT') return unfit('it does not exist');
    return unfit(codeOf(error) === 'ERR_ENCODING_INVALID_ENCODED_DATA' ? 'it is not UTF-8' : reasonOf(error));
  }
}
