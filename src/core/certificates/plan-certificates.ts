import type { MapCertificate, SiteMap } from '../map/site-map.ts';
import type { PlannedCertificate } from '../plan/plan.ts';
import { isWildcard, withoutStar } from '../names/wildcard.ts';
import { covers } from './cover.ts';
import { indexed } from '../indexed.ts';

/** Which certificate a name shows, and the reason in a few words. */
export interface Chosen {
  id: string;
  why: string;
}

interface PlannedCover {
  certificates: PlannedCertificate[];
  /** By full name of the road. */
  chosen: Map<string, Chosen>;
}

/**
 * Every certificate that a map needs, and which one each road shows: the one the map names, else the best of `certificates`
 * that covers it (RFC 9525 §6.3), else one of its own. A road with a gate prefers a wildcard, since every name in a public
 * certificate is published in logs (RFC 9162); an open one prefers its exact name.
 *
 * @param folder absolute path of the folder that holds one folder a certificate
 */
export function planCertificates(map: SiteMap, folder: string): PlannedCover {
  const chosen = new Map<string, Chosen>();
  const rest: SiteMap['roads'] = [];
  for (const road of map.roads) {
    const named = road.written['certificate'];
    const best = typeof named === 'string' ? named : bestOf(map.certificates, road)?.id;
    const why = typeof named === 'string' ? 'as the map says' : whyBest(map.certificates, best ?? '', road);
    if (best === undefined) rest.push(road);
    else chosen.set(road.name, { id: best, why });
  }
  const own = ownCertificates(map, rest);
  for (const { certificate, roads, why } of own)
    for (const name of roads) chosen.set(name, { id: certificate.id, why });
  const all = [...map.certificates, ...own.map(({ certificate }) => certificate)];
  return { certificates: all.map((certificate) => planned(certificate, map, folder)), chosen };
}

type Wanted = Omit<MapCertificate, 'where'>;
type Road = SiteMap['roads'][number];

/** Of those that cover a name the one that fits its gate best. */
export function bestOf(
  certificates: readonly MapCertificate[],
  road: Pick<Road, 'name' | 'gates'>,
): MapCertificate | undefined {
  const rank = ({ names }: MapCertificate): number => {
    const exact = names.includes(road.name);
    return isGated(road) === exact ? 1 : 0;
  };
  return [...certificates]
    .filter(({ names }) => covers(names, road.name))
    .sort((a, b) => rank(a) - rank(b) || a.names.length - b.names.length || (a.id < b.id ? -1 : 1))[0];
}

function isGated({ gates }: Pick<Road, 'gates'>): boolean {
  return gates.some((gate) => gate !== 'everyone');
}

function whyBest(certificates: readonly MapCertificate[], id: string, road: Road): string {
  const found = indexed(certificates, 'id').get(id);
  if (found === undefined) return '';
  if (found.names.includes(road.name)) return 'it names the road';
  return isGated(road)
    ? 'its wildcard keeps the name of a gated road out of public logs'
    : 'its wildcard covers the road';
}

interface Own {
  certificate: Wanted;
  roads: string[];
  why: string;
}

/** For roads that no certificate of the map covers: with the DNS challenge the smallest set, else one for each name. */
function ownCertificates(map: SiteMap, roads: readonly Road[]): Own[] {
  const from = map.acme === null ? 'practice' : 'acme';
  if (map.acme?.challenge === 'dns') return smallestSet(map, roads);
  return roads.map(({ name }) => ({
    certificate: { id: freeId(name, map), names: [name], from, key: 'ec', files: null },
    roads: [name],
    why: 'a certificate of its own',
  }));
}

/**
 * One certificate a domain. Names side by side, or with a gate, become the wildcard above them, which covers one label only;
 * whatever stands alone keeps its name.
 */
function smallestSet(map: SiteMap, roads: readonly Road[]): Own[] {
  const domains = new Map<string, Road[]>();
  for (const road of roads) {
    const domain = map.domains
      .filter((one) => road.name === one || road.name.endsWith(`.${one}`))
      .sort((a, b) => b.length - a.length)[0];
    const key = domain ?? road.name;
    domains.set(key, [...(domains.get(key) ?? []), road]);
  }
  return [...domains].map(([domain, own]) => {
    const names = [...new Set(own.map((road) => coverName(road, domain, own)))].sort(byLength);
    const certificate: Wanted = { id: freeId(domain, map), names, from: 'acme', key: 'ec', files: null };
    return { certificate, roads: own.map(({ name }) => name), why: `the smallest set for ${domain}` };
  });
}

function coverName(road: Road, domain: string, all: readonly Road[]): string {
  if (road.name === domain) return road.name;
  const parent = road.name.slice(road.name.indexOf('.') + 1);
  const siblings = all.filter(({ name }) => name !== domain && name.slice(name.indexOf('.') + 1) === parent);
  // A wildcard needs two labels below it, and lies within the domain.
  const possible = parent === domain || parent.endsWith(`.${domain}`);
  return possible && (siblings.length > 1 || isGated(road)) ? `*.${parent}` : road.name;
}

function byLength(a: string, b: string): number {
  return a.length - b.length || (a < b ? -1 : 1);
}

/** No two certificates share a folder: neither one of the map nor the name of a road or a domain stands for two. */
function freeId(name: string, { certificates, roads, domains }: SiteMap): string {
  const id = withoutStar(name);
  const written = indexed(certificates, 'id');
  if (!written.has(id)) return id;
  const names = indexed(roads, 'name');
  for (let count = 1; ; count += 1) {
    const other = `${id}-own${count === 1 ? '' : String(count)}`;
    if (!written.has(other) && !names.has(other) && !domains.includes(other)) return other;
  }
}

function planned({ id, names, from, key, files }: Wanted, map: SiteMap, folder: string): PlannedCertificate {
  // Behind a link that is switched in one step, so that no server ever reads a certificate with another's key.
  const own = `${folder}/${id}/current`;
  const wildcard = names.some(isWildcard);
  return {
    id,
    names,
    from,
    key,
    // A wildcard is proven by DNS only (RFC 8555 §7.1.3).
    // An edge answers plain HTTP itself, so that the authority would not see the front.
    challenge: from !== 'acme' ? null : wildcard || map.front.edge !== null ? 'dns' : (map.acme?.challenge ?? 'http'),
    files,
    certificateFile: `${own}/certificate.pem`,
    keyFile: `${own}/key.pem`,
  };
}
