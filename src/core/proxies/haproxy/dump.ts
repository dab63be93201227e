import type { ServerBlock } from '../program.ts';
import { ownHeader } from './quote.ts';
import { readConfiguration } from './serving.ts';
import { partsOf } from './tree.ts';

/**
 * The frontends of the files that a haproxy is started with; those of files that Mile Marker wrote for this map are passed over.
 *
 * @param own id of the map whose files are passed over; null passes over those of every map
 */
export function readDump(text: string, own: string | null): ServerBlock[] {
  const { files, lists } = partsOf(text);
  const others = files.filter(({ text: content }) => {
    const map = mapOf(content);
    return map === null || (own !== null && map !== '' && map !== own);
  });
  const ofMaps = new Set(others.flatMap(({ path, text: content }) => (mapOf(content) === null ? [] : [path])));
  return readConfiguration({ files: others, lists }).frontends.flatMap(({ section, binds, names }) => {
    const isOfMap = ofMaps.has(section.head.file);
    const listens = [...new Set(binds.map(({ port }) => port))];
    return [
      {
        file: section.head.file,
        line: section.head.line,
        names,
        listens,
        // Two that listen on one port get visitors by turns, whatever name these ask for.
        defaultOn: isOfMap ? [] : listens,
        ofAnotherMap: isOfMap,
      },
    ];
  });
}

/** Of a file that Mile Marker wrote the id of its map, or nothing where it does not say; null of one by others. */
function mapOf(content: string): string | null {
  const start = content.trimStart();
  if (!start.startsWith(ownHeader)) return null;
  return /\(map (\w+)\)/.exec(start.slice(0, start.indexOf('\n')))?.[1] ?? '';
}
