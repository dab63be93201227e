import type { Plan } from '../../core/plan/plan.ts';
import type { Placement } from '../../core/proxies/renderer.ts';
import { filesOfMap } from './files-of-map.ts';

/** Where written files will lie, with the people of the map's password files as they are now. @param current stable path of the newest edition */
export function placementOf(plan: Plan, mapFile: string, current: string): Placement {
  const { people } = filesOfMap(plan, mapFile);
  return {
    current,
    people: (path) => {
      const file = people.get(path);
      return file?.state === 'read' ? file.file.people : [];
    },
  };
}
