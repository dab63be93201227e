import type { HostFacts, Inventory, Service } from './inventory/inventory.ts';
import type { SiteMap } from './map/site-map.ts';
import { makePlan } from './plan/make-plan.ts';
import type { Plan } from './plan/plan.ts';
import type { ProxyName } from './proxies/names.ts';
import { programOf } from './proxies/programs.ts';
import type { WrittenFile } from './proxies/renderer.ts';

/**
 * The calculations of Mile Marker for other programs: read a map, plan it, decide about requests, explain why, and write the files of a proxy. Nothing here
 * reads a file, asks anybody, or knows the time; docs/api.md has examples.
 */

export { readMap } from './map/read-map.ts';
export { readCompose } from './inventory/compose.ts';
export { prepare, decide } from './verdict/decide.ts';
export { explain } from './verdict/explain.ts';
export type { Finding } from './findings/finding.ts';
export type { Plan, PlannedRoad } from './plan/plan.ts';
export type { SiteMap } from './map/site-map.ts';
export type { Service } from './inventory/inventory.ts';
export type { Verdict, VerdictRequest } from './verdict/verdict.ts';
export type { WrittenFile } from './proxies/renderer.ts';

/**
 * What is known around a map.
 *
 * @property services of Compose files, as `readCompose` has them, or of containers
 * @property host what the machine of the front is like; absent: nothing is known of it
 * @property folder absolute path of the folder that the map is in
 */
export interface Around {
  services?: readonly Service[];
  host?: HostFacts;
  folder?: string;
}

const unknownHost: HostFacts = {
  addresses: [],
  gateway: null,
  resolvers: [],
  trustedRoots: null,
  compose: 'docker compose',
  lookalikes: [],
};

/** Fills in every default of a map and works out where each road is dialled. What cannot be worked out is left open: such a road answers 502. */
export function planMap(map: SiteMap, { services = [], host = unknownHost, folder = '/' }: Around = {}): Plan {
  const inventory: Inventory = {
    ...{ services: [...services], networks: [], asked: false, failed: false, machines: [], nodes: [] },
  };
  const own = `${folder === '/' ? '' : folder}/.mile-marker`;
  const folders = { certificatesFolder: `${own}/certificates`, challengesFolder: `${own}/challenges` };
  return makePlan({ map, inventory, host, mapFolder: folder, ...folders }).plan;
}

/**
 * The files of a proxy for a plan. Equal plans give equal bytes.
 *
 * @param current absolute path of the folder that they will be in @param proxy in place of the one that the map says
 */
export function render(plan: Plan, current: string, proxy: ProxyName = plan.front.proxy): WrittenFile[] {
  const { renderer, title } = programOf(proxy);
  if (renderer === null) throw new TypeError(`no files are written for ${title}`);
  return renderer.render({ ...plan, front: { ...plan.front, proxy } }, { current, people: () => [] });
}
