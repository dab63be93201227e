import { tell } from '../findings/card.ts';
import type { Finding, Place } from '../findings/finding.ts';
import { asciiName } from '../names/host-name.ts';
import { readChecks } from '../gates/kinds.ts';
import { parseAddress, parseNetwork } from '../networks/address.ts';
import { parseDuration } from './units.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapKeyMissing, mapValueWrong, nameDouble, nameInvalid } from './cards.ts';
import { readRules } from '../road-rules/road-rules.ts';
import { upstreamKeys } from './upstream-keys.ts';
import { parseRedirect, parseTo, type LeadsResult } from './leads.ts';
import { webUrl } from '../names/web-url.ts';
import { partsOfRoad } from './parts.ts';
import { portsOfMap } from './ports.ts';
import { referenceSlips, roadSlips } from './references.ts';
import { roadName, type RoadNameResult } from './road-name.ts';
import type { MapKeys, RoadKeys } from './schema/map.ts';
import {
  pageKinds,
  type AddressFrom,
  type FrontAddress,
  type MapRoad,
  type SiteMap,
  type Unknown,
} from './site-map.ts';

interface Input {
  file: string;
  keys: MapKeys;
  yaml: YamlText;
}

/** Fills in what needs more than one value of the map: full names, what roads lead to, which names stand twice. */
export function normalizeMap({ file, keys, yaml }: Input): { map: SiteMap; findings: Finding[] } {
  const domains = keys.domains.map((domain) => asciiName(domain));
  const findings = [...doubleDomains(domains, yaml), ...referenceSlips(keys, yaml, domains)];
  const names = new Map(Object.keys(keys.roads).map((key) => [key, roadName(key, domains)]));
  const roads = Object.entries(keys.roads).flatMap(([key, written]) => {
    const made = makeRoad({ key, written, name: names.get(key) ?? null, keys, yaml });
    findings.push(...made.findings);
    return made.road === null ? [] : [made.road];
  });
  findings.push(...doubleNames(roads));
  const front = makeFront(keys, yaml);
  findings.push(...front.findings);
  const compose = (keys.compose ?? []).map((path, index) => ({ path, where: yaml.placeOf(['compose', index]) }));
  const engine = keys.engine === undefined ? null : { address: keys.engine, where: yaml.placeOf(['engine']) };
  const security = securityParts(keys, yaml);
  const ports = portsOfMap({ keys, yaml, domains, roads, certificates: security.certificates });
  findings.push(...ports.findings);
  const map = {
    file,
    domains,
    front: front.front,
    compose,
    cluster: keys.cluster ?? false,
    machines: machinesOf(keys, yaml),
    privateNetworks: (keys['private-networks'] ?? []).map((text) => parseNetwork(text) ?? text),
    engine,
    ...security,
    roads: [...roads, ...ports.names],
    ports: ports.ports,
    pages: pagesOf(keys, yaml),
    labels: labelsOf(keys, yaml),
  };
  return { map, findings };
}

function securityParts(keys: MapKeys, yaml: YamlText): Pick<SiteMap, 'acme' | 'dns' | 'certificates' | 'gates'> {
  const { acme, dns } = keys;
  const certificates = Object.entries(keys.certificates ?? {}).map(
    ([id, { names, wildcard, from = acme === undefined ? ('practice' as const) : ('acme' as const), key }]) => {
      const plain = names.map(asciiName);
      const files = typeof from === 'string' ? null : from.files;
      return {
        id,
        names: wildcard ? [...plain, ...plain.map((name) => `*.${name}`)] : plain,
        from: typeof from === 'string' ? from : ('files' as const),
        key,
        files,
        where: yaml.placeOfKey(['certificates', id]),
      };
    },
  );
  return {
    acme: acme === undefined ? null : makeAcme(acme),
    dns: makeDns(dns),
    certificates,
    gates: makeGates(keys, yaml),
  };
}

function makeGates({ gates = {} }: MapKeys, yaml: YamlText): SiteMap['gates'] {
  return Object.entries(gates).map(([name, { need, except = [], ...written }]) => ({
    name,
    checks: readChecks(written),
    need,
    except,
    where: yaml.placeOfKey(['gates', name]),
  }));
}

function pagesOf({ pages = {} }: MapKeys, yaml: YamlText): SiteMap['pages'] {
  return pageKinds.flatMap((kind) => {
    const path = pages[kind];
    return path === undefined ? [] : [{ kind, path, where: yaml.placeOf(['pages', kind]) }];
  });
}

function machinesOf({ machines = {} }: MapKeys, yaml: YamlText): SiteMap['machines'] {
  return Object.entries(machines).map(([name, { engine, keys = null, address }]) => ({
    ...{ name, engine, keys },
    address: parseAddress(address) ?? asciiName(address),
    where: yaml.placeOfKey(['machines', name]),
  }));
}

function labelsOf({ labels }: MapKeys, yaml: YamlText): SiteMap['labels'] {
  if (labels === undefined) return null;
  return { obey: labels.obey.map(asciiName), gates: labels.gates ?? [], where: yaml.placeOfKey(['labels']) };
}

function makeDns(written: MapKeys['dns']): SiteMap['dns'] {
  const { server = null, key = null, program = null, style = 'aliases', ttl = '1h' } = written ?? {};
  const addressFrom = makeAddressFrom(written?.['address-from']);
  const [updateUrl, updateLogin] = [written?.['update-url'] ?? null, written?.['update-login'] ?? null];
  return { server, key, program, updateUrl, updateLogin, addressFrom, style, ttlSeconds: parseDuration(ttl) ?? 3600 };
}

function makeAddressFrom(written: NonNullable<MapKeys['dns']>['address-from']): AddressFrom | null {
  if (written === undefined) return null;
  if ('interface' in written) return { kind: 'interface', name: written.interface };
  if ('stun' in written) return { kind: 'stun', server: written.stun };
  return { kind: 'program', program: written.program };
}

function makeAcme(written: NonNullable<MapKeys['acme']>): SiteMap['acme'] {
  const { directory, challenge, root = null, contact = null } = written;
  return { directory, challenge, root, contact, external: written['external-account'] ?? null };
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
  written: RoadKeys;
  name: RoadNameResult | null;
  keys: MapKeys;
  yaml: YamlText;
}

/** The road is null when its name or its lead is wrong, and for `others`, which is every name and therefore none. */
function makeRoad({ key, written, name, keys, yaml }: RoadInput): {
  road: MapRoad | null;
  findings: Finding[];
} {
  const where = yaml.placeOfKey(['roads', key]);
  const findings: Finding[] = [];
  if (name?.ok === false) findings.push(tell(nameInvalid, { say: name.say, data: name.data, where }));
  const leads = makeLeads(written);
  const leadsWhere = yaml.placeOf(['roads', key, leadsKey(written)]);
  if (leads === null) {
    findings.push(tell(mapKeyMissing, { say: 'road-leads-nowhere', data: { key }, where }));
  } else if (!leads.ok) {
    const at = leads.say === 'permanent-alone' ? yaml.placeOfKey(['roads', key, 'permanent']) : leadsWhere;
    findings.push(tell(mapValueWrong, { say: leads.say, data: leads.data, where: at }));
  }
  findings.push(...roadSlips({ key, written, leads, keys, yaml }));
  if (name?.ok !== true || leads?.ok !== true) return { road: null, findings };
  const { gate, paused } = written;
  const { ascii: full, unicode: display } = name.name;
  const road: MapRoad = {
    name: full,
    display,
    key,
    where,
    parts: partsOfRoad(key, written, { leads: leads.leads, where: leadsWhere }, yaml),
    gates: gate,
    paused,
    rules: readRules(written),
    upstream: upstreamKeys(written),
    lines: keyLines(key, written, where, yaml),
    written: otherKeys(written),
    fromLabel: null,
  };
  return { road, findings };
}

/** Keys that are filled in stand where the road does. */
function keyLines(key: string, written: RoadKeys, { line }: Place, yaml: YamlText): Record<string, number> {
  const lines = yaml.linesAt(['roads', key]);
  const found: Record<string, number> = {};
  for (const [name, value] of Object.entries(written)) if (value !== undefined) found[name] = lines[name] ?? line;
  return found;
}

function otherKeys(written: RoadKeys): Record<string, unknown> {
  const told = ['to', 'redirect', 'folder', 'permanent', 'gate', 'paused'];
  return Object.fromEntries(
    Object.entries(written).filter(([key, value]) => !told.includes(key) && value !== undefined),
  );
}

function leadsKey({ redirect, folder }: RoadKeys): 'to' | 'redirect' | 'folder' {
  if (redirect !== undefined) return 'redirect';
  return folder === undefined ? 'to' : 'folder';
}

/** Null when the road does not say where it leads. */
function makeLeads({ to, redirect, folder, permanent }: RoadKeys): LeadsResult | null {
  const said = [to, redirect, folder].filter((one) => one !== undefined).length;
  if (said > 1) return { ok: false, say: 'to-and-redirect', data: {} };
  if (redirect !== undefined) return parseRedirect(redirect, permanent ?? false);
  if (permanent !== undefined && said > 0) return { ok: false, say: 'permanent-alone', data: {} };
  if (folder !== undefined) return { ok: true, leads: { kind: 'folder', path: folder } };
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
  const [markAddress = '', markPort = ''] = (front.mark ?? usualMark(listen)).split(':');
  const made = {
    addresses: front.address.map(frontAddress),
    home: (front.home ?? []).flatMap((text) => parseAddress(text) ?? []),
    homeNetworks: front['home-networks']?.map((text) => parseNetwork(text) ?? text) ?? null,
    ports: front.ports,
    listen,
    proxy: front.proxy,
    proxyWhere: yaml.placeOf(['front', 'proxy']),
    container: front.container ?? (front.nodes === undefined ? null : 'front'),
    nodes: front.nodes ?? null,
    mark: { address: markAddress, port: Number(markPort) },
    unknown: unknown ?? { act: 'refuse' as const },
    edge: makeEdge(front.edge),
    where: yaml.placeOf(['front']),
  };
  return { front: made, findings };
}

function makeEdge(written: MapKeys['front']['edge']): SiteMap['front']['edge'] {
  if (written === undefined) return null;
  const networks = written.networks.map((text) => parseNetwork(text) ?? text);
  return {
    networks,
    header: written['address-header'].toLowerCase(),
    replaces: written['replaces-header'],
    speaks: written.speaks,
  };
}

function frontAddress(written: string | { interface: string }): FrontAddress {
  if (typeof written !== 'string') return { kind: 'interface', name: written.interface };
  const literal = parseAddress(written);
  return literal === null ? { kind: 'name', name: asciiName(written) } : { kind: 'literal', address: literal };
}

/** Only root may listen on a low port (ip(7), ip_unprivileged_port_start), so no other user can take it from the front. */
function usualMark({ http, https }: { http: number; https: number }): string {
  return `127.0.0.1:${http < 1024 || https < 1024 ? '918' : '29180'}`;
}

function makeUnknown(written: MapKeys['front']['unknown']): Unknown | null {
  if (typeof written === 'string') return { act: written };
  return webUrl(written.redirect) === null ? null : { act: 'redirect', url: new URL(written.redirect).href };
}
