import type { YamlText } from '../yaml/document.ts';
import { parseTo } from './leads.ts';
import type { RoadKeys } from './schema/map.ts';
import type { Leads, MapPart, Protocol, SiteMap } from './site-map.ts';

/**
 * The parts of a road, the longest prefix first and `/` last. Total: what is not sound among `paths`, findings have told.
 *
 * @param whole where the road itself leads
 */
export function partsOfRoad(key: string, written: RoadKeys, whole: Omit<MapPart, 'prefix'>, yaml: YamlText): MapPart[] {
  const parts = Object.entries(written.paths ?? {}).flatMap(([prefix, keys]): MapPart[] => {
    const leads = leadsOf(keys);
    return leads === null ? [] : [{ prefix, leads, where: yaml.placeOfKey(['roads', key, 'paths', prefix]) }];
  });
  parts.sort((a, b) => b.prefix.length - a.prefix.length || (a.prefix < b.prefix ? -1 : 1));
  return [...parts, { prefix: '/', ...whole }];
}

function leadsOf({ to, redirect }: NonNullable<RoadKeys['paths']>[string]): Leads | null {
  if (redirect !== undefined) return { kind: 'redirect', url: redirect, permanent: false };
  const leads = to === undefined ? null : parseTo(to);
  return leads?.ok === true ? leads.leads : null;
}

/** Ports of this machine itself that roads and raw ports lead to, for the ledger of ports. */
export function hostPortsOf({
  roads,
  ports,
}: Pick<SiteMap, 'roads' | 'ports'>): Array<{ port: number; protocol: Protocol; road: string }> {
  const ofRoads = roads.flatMap(({ parts, name }) =>
    parts.map(({ leads }) => ({ name, leads, protocol: 'tcp' as const })),
  );
  return [...ofRoads, ...ports].flatMap(({ name: road, leads, protocol }) =>
    leads.kind === 'port' ? [{ port: leads.port, protocol, road }] : [],
  );
}
