import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { parseHostName } from '../names/host-name.ts';
import { parseAddress, parseNetwork } from '../networks/address.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapKeyMissing, mapValueWrong, nameDouble, nameInvalid } from './cards.ts';
import { parseRedirect, parseTo, webUrl, type LeadsResult } from './leads.ts';
import { roadName } from './road-name.ts';
import type { MapKeys } from './schema.ts';
import type { FrontAddress, MapRoad, SiteMap, Unknown } from './site-map.ts';

interface Input {
  file: string;
  keys: MapKeys;
  yaml: YamlText;
}

/** Fills in what needs more than one value of the map: full names, what roads lead to, which names stand twice. */
export function normalizeMap({ file, keys, yaml }: Input): { map: SiteMap; findings: Finding[] } {
  const findings: Finding[] = [];
  const domains = keys.domains.map((domain) => ascii(domain));
  findings.push(...doubleDomains(domains, yaml));
  const roads = Object.keys(keys.roads).flatMap((key) => {
    const made = makeRoad({ key, keys, domains, yaml });
    if ('road' in made) return [made.road];
    findings.push(...made.findings);
    return [];
  });
  findings.push(...doubleNames(roads));
  const front = makeFront(keys, yaml);
  findings.push(...front.findings);
  const compose = (keys.compose ?? []).map((path, index) => ({ path, where: yaml.placeOf(['compose', index]) }));
  return { map: { file, domains, front: front.front, compose, roads }, findings };
}

function ascii(name: string): string {
  const result = parseHostName(name);
  return result.ok ? result.name.ascii : name;
}

function doubleDomains(domains: readonly string[], yaml: YamlText): Finding[] {
  return domains.flatMap((domain, index) =>
    domains.indexOf(domain) === index
      ? []
      : [tell(nameDouble, { say: 'domain', data: { key: domain }, where: yaml.placeOf(['domains', index]) })],
  );
}

interface RoadInput {
  key: string;
  keys: MapKeys;
  domains: string[];
  yaml: YamlText;
}

function makeRoad({ key, keys, domains, yaml }: RoadInput): { road: MapRoad } | { findings: Finding[] } {
  const where = yaml.placeOfKey(['roads', key]);
  const written = keys.roads[key];
  if (written === undefined) return { findings: [] };
  const findings: Finding[] = [];
  const name = roadName(key, domains);
  if (!name.ok) findings.push(tell(nameInvalid, { say: name.say, data: name.data, where }));
  const leads = makeLeads(written);
  const leadsKey = written.redirect === undefined ? 'to' : 'redirect';
  const leadsWhere = yaml.placeOf(['roads', key, leadsKey]);
  if (leads === null) {
    findings.push(tell(mapKeyMissing, { say: 'road-leads-nowhere', data: { key }, where }));
  } else if (!leads.ok) {
    const at = leads.say === 'permanent-alone' ? yaml.placeOfKey(['roads', key, 'permanent']) : leadsWhere;
    findings.push(tell(mapValueWrong, { say: leads.say, data: leads.data, where: at }));
  }
  if (!name.ok || leads === null || !leads.ok) return { findings };
  const { ascii: full, unicode: display } = name.name;
  return {
    road: {
      name: full,
      display,
      key,
      where,
      leads: leads.leads,
      leadsWhere,
      gate: written.gate,
      paused: written.paused,
    },
  };
}

/** Null when the road does not say where it leads. */
function makeLeads({ to, redirect, permanent }: MapKeys['roads'][string]): LeadsResult | null {
  if (to !== undefined && redirect !== undefined) return { ok: false, say: 'to-and-redirect', data: {} };
  if (redirect !== undefined) return parseRedirect(redirect, permanent ?? false);
  if (permanent !== undefined && to !== undefined) return { ok: false, say: 'permanent-alone', data: {} };
  return to === undefined ? null : parseTo(to);
}

function doubleNames(roads: readonly MapRoad[]): Finding[] {
  const first = new Map<string, MapRoad>();
  return roads.flatMap((road) => {
    const other = first.get(road.name);
    if (other === undefined) {
      first.set(road.name, road);
      return [];
    }
    const data = { key: road.key, name: road.name, other: other.key, first: other.where.line };
    return [tell(nameDouble, { say: 'road', data, roads: [road.name], where: road.where })];
  });
}

function makeFront(keys: MapKeys, yaml: YamlText): { front: SiteMap['front']; findings: Finding[] } {
  const { front } = keys;
  const findings: Finding[] = [];
  const unknown = makeUnknown(front.unknown);
  if (unknown === null) {
    const data = { key: 'front.unknown.redirect', text: yaml.textAt(['front', 'unknown', 'redirect']) };
    findings.push(
      tell(mapValueWrong, { say: 'url-form', data, where: yaml.placeOf(['front', 'unknown', 'redirect']) }),
    );
  }
  const listen = { http: front.listen?.http ?? front.ports.http, https: front.listen?.https ?? front.ports.https };
  if (listen.http === listen.https && front.ports.http !== front.ports.https) {
    const data = { key: 'front.listen', text: String(listen.http) };
    findings.push(tell(mapValueWrong, { say: 'ports-equal', data, where: yaml.placeOf(['front', 'listen']) }));
  }
  const [markAddress = '', markPort = ''] = front.mark.split(':');
  const made = {
    addresses: front.address.map(frontAddress),
    homeNetworks: front['home-networks']?.map((text) => parseNetwork(text) ?? text) ?? null,
    ports: front.ports,
    listen,
    proxy: front.proxy,
    mark: { address: markAddress, port: Number(markPort) },
    unknown: unknown ?? { act: 'refuse' as const },
    where: yaml.placeOf(['front']),
  };
  return { front: made, findings };
}

function frontAddress(written: string | { interface: string }): FrontAddress {
  if (typeof written !== 'string') return { kind: 'interface', name: written.interface };
  const literal = parseAddress(written);
  return literal === null ? { kind: 'name', name: ascii(written) } : { kind: 'literal', address: literal };
}

function makeUnknown(written: MapKeys['front']['unknown']): Unknown | null {
  if (typeof written === 'string') return { act: written };
  return webUrl(written.redirect) === null ? null : { act: 'redirect', url: new URL(written.redirect).href };
}
