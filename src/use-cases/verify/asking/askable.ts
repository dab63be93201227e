import type { Finding } from '../../../core/findings/finding.ts';
import { isWildcard } from '../../../core/names/wildcard.ts';
import { roadToAsk } from '../../../core/plan/wildcard-road.ts';
import type { Site } from '../../map/load.ts';
import type { VerifyResult } from '../verify.ts';

/** @property nameOnMap the name that a road has on the map, by the one that it is asked for by */
interface Askable {
  site: Site;
  nameOnMap: (asked: string) => string;
}

/** A site in which the road of all other names goes by one of them, since only that can be asked for. */
export function askable(site: Site): Askable {
  const { plan } = site;
  const roads = plan.roads.map((road) => roadToAsk(road, plan));
  const own = new Map(roads.map(({ name }, index) => [name, plan.roads[index]?.name ?? name]));
  const wild = roads.find(({ name }) => isWildcard(own.get(name) ?? ''));
  if (wild === undefined) return { site, nameOnMap: (asked) => asked };
  return {
    site: { ...site, plan: { ...plan, roads } },
    nameOnMap: (asked) => own.get(asked) ?? asked,
  };
}

/** What came of it, under the names of the map. */
export function onMap(result: VerifyResult, nameOnMap: Askable['nameOnMap']): VerifyResult {
  const findings = result.findings.map((one): Finding => ({ ...one, roads: one.roads.map(nameOnMap) }));
  const roads = result.roads.map((one) => ({ ...one, road: nameOnMap(one.road) }));
  const away = result.away.map((one) => ({ ...one, road: nameOnMap(one.road) }));
  return { ...result, findings, roads, away };
}
