import { filesOfMap } from '../../adapters/files/files-of-map.ts';
import type { Site } from './load.ts';

/** Who stands in each password file of the map, by its path; nobody where it cannot be read. */
export function peopleOf({ plan, mapFile }: Pick<Site, 'plan' | 'mapFile'>): Map<string, string[]> {
  const { people } = filesOfMap(plan, mapFile);
  return new Map(
    [...people].map(([path, file]) => [path, file.state === 'read' ? file.file.people.map(({ name }) => name) : []]),
  );
}
