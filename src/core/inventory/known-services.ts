import type { Planned } from '../plan/make-plan.ts';
import type { SiteMap } from '../map/site-map.ts';

/**
 * Whom roads led to when files were written last, so that nobody who comes later takes one away by bearing the same name.
 *
 * @property labels by the name of a road the service whose label made it, as `titleOf` has it
 * @property projects by a service that the map names without its project the project that was meant; empty for a container of none
 */
export interface KnownServices {
  labels: ReadonlyMap<string, string>;
  projects: ReadonlyMap<string, string>;
}

/** The same after another plan. What is away for the moment stays known; with `follow` also who has a name by a label. */
export function knownAfter(
  before: KnownServices,
  { map, plan }: { map: SiteMap; plan: Planned['plan'] },
  isFollowed: boolean,
): KnownServices {
  const labels = new Map(isFollowed ? before.labels : []);
  for (const { name, fromLabel } of map.roads) if (fromLabel !== null) labels.set(name, fromLabel);
  const projects = new Map<string, string>();
  const roads = new Map(plan.roads.map((road) => [road.name, road]));
  for (const { name, parts } of map.roads)
    for (const { prefix, leads } of parts) {
      if (leads.kind !== 'service' || leads.project !== null || leads.machine !== null) continue;
      const planned = roads.get(name)?.parts.find((part) => part.prefix === prefix);
      const project = planned?.resolution?.service?.project;
      const known = project === undefined ? before.projects.get(leads.service) : (project ?? '');
      if (known !== undefined) projects.set(leads.service, known);
    }
  return { labels, projects };
}
