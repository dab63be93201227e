import type { Plan } from '../../core/plan/plan.ts';
import type { Placement } from '../../core/proxies/renderer.ts';
import { filesOfMap } from './files-of-map.ts';

interface PlacementInput {
  plan: Plan;
  mapFile: string;
  /** Stable path of the newest edition. */
  current: string;
  /** Of the server program that will read the files; null when it is not known. */
  version: string | null;
  /** Only people whose hash stands in it; null or absent for everybody. */
  knownPeople?: string | null | undefined;
}

/** Where written files will lie, and for which server, with the people of the map's password files as they are now. */
export function placementOf({ plan, mapFile, current, version, knownPeople = null }: PlacementInput): Placement {
  const { people } = filesOfMap(plan, mapFile);
  return {
    current,
    version,
    people: (path) => {
      const file = people.get(path);
      const all = file?.state === 'read' ? file.file.people : [];
      return knownPeople === null ? all : all.filter(({ hash }) => knownPeople.includes(hash));
    },
  };
}
