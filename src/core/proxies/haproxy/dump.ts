import type { ServerBlock } from '../server-block.ts';
import { whose, type OwnFiles } from '../whose.ts';
import { ownHeader } from './quote.ts';
import { readConfiguration } from './serving.ts';
import { partsOf } from './tree.ts';

/**
 * The frontends of the files that a haproxy is started with; those of files that Mile Marker wrote for this map are passed over.
 *
 * @param own the files that are passed over; null passes over those of every map
 */
export function readDump(text: string, own: OwnFiles | null): ServerBlock[] {
  const { files, lists } = partsOf(text);
  const others = files.filter(({ path, text: content }) => {
    const map = mapOf(content);
    return map === null || whose(map, path, own) !== 'own';
  });
  const ofMaps = new Map(
    others.flatMap(({ path, text: content }) => {
      const map = mapOf(content);
      return map === null ? [] : [[path, whose(map, path, own)] as const];
    }),
  );
  return readConfiguration({ files: others, lists }).frontends.flatMap(({ section, binds, names }) => {
    const owner = ofMaps.get(section.head.file);
    const isOfMap = owner !== undefined;
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
        ...(owner === 'twin' ? { isTwin: true as const } : {}),
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
