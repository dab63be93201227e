import { covers } from '../certificates/cover.ts';
import type { Chosen } from '../certificates/plan-certificates.ts';
import type { HostFacts } from '../inventory/inventory.ts';
import { hostOf, portOf } from '../names/web-url.ts';
import type { MapPart, MapRoad, SiteMap } from '../map/site-map.ts';
import { absolutePath } from './absolute-path.ts';
import type { PlannedCertificate, PlannedLeads, PlannedPart, PlannedRoad } from './plan.ts';
import type { Upstream, UpstreamTrust } from './upstream.ts';
import { planGate } from './plan-gate.ts';
import { asksFor } from '../gates/check.ts';
import { isPublic } from '../certificates/is-public.ts';
import { planRules } from '../road-rules/road-rules.ts';
import { resolveService, type Resolution, type Surroundings } from './resolve-service.ts';
import { indexed } from '../indexed.ts';

export interface RoadInput {
  road: MapRoad;
  map: SiteMap;
  /** Absolute path of the folder that the map is in. */
  mapFolder: string;
  host: HostFacts;
  around: Surroundings;
  chosen: Chosen | undefined;
  certificates: readonly PlannedCertificate[];
  silenceSeconds: number;
}

export function planRoad(input: RoadInput): PlannedRoad {
  const { road, map, host, chosen, certificates } = input;
  const where = { ...road.where, line: road.lines['gate'] ?? road.where.line };
  const gate = planGate(road.gates, where, { host, map, mapFolder: input.mapFolder, around: input.around });
  const certificate = indexed(certificates, 'id').get(chosen?.id ?? '');
  return {
    name: road.name,
    display: road.display,
    authority: publicAuthority(road.name, map.front.ports.https),
    certificate: chosen?.id ?? road.name,
    gate,
    paused: road.paused,
    rules: planRules(road.rules, {
      name: road.name,
      mapFolder: input.mapFolder,
      hasPeople: asksFor(gate, 'people'),
      isPublic: isPublic(map, certificate),
      httpsPort: map.front.ports.https,
      inContainer: map.front.container !== null,
      silenceSeconds: input.silenceSeconds,
    }),
    parts: road.parts.map((part) => planPart(input, part)),
    lines: road.lines,
    where: road.where,
  };
}

/** Host and port of a road as they stand in a visitor's address bar. */
function publicAuthority(name: string, port: number): string {
  return port === 443 ? name : `${name}:${String(port)}`;
}

function planPart(input: RoadInput, { prefix, leads, where }: MapPart): PlannedPart {
  const { map, mapFolder, around } = input;
  const whole = prefix === '/';
  switch (leads.kind) {
    case 'redirect': {
      const url = whole ? withOutsidePort(leads.url, map) : pathUrl(leads.url, map);
      const status = leads.permanent ? 308 : 307;
      return {
        prefix,
        leads: { kind: 'redirect', url, status, below: whole ? null : prefix },
        resolution: null,
        where,
      };
    }
    case 'folder':
      return {
        prefix,
        leads: { kind: 'folder', path: absolutePath(mapFolder, leads.path) },
        resolution: null,
        where,
      };
    case 'service':
    case 'port':
    case 'url': {
      const resolution = resolveService(leads, around);
      return { prefix, leads: serviceLeads(input, resolution, whole), resolution, where };
    }
  }
}

/** @param own the road's own service, for which its keys about proof are meant */
function serviceLeads({ road, mapFolder }: RoadInput, resolution: Resolution, own: boolean): PlannedLeads {
  if (resolution.kind !== 'dialled') return { kind: 'service', upstream: null };
  const { upstream } = resolution;
  const { sayHost, trust } = road.upstream;
  if (!own) return { kind: 'service', upstream };
  const proof: UpstreamTrust = trust.kind === 'ca' ? { kind: 'ca', file: absolutePath(mapFolder, trust.file) } : trust;
  const named: Upstream = {
    ...upstream,
    trust: proof,
    sayHost,
    verifyAs: upstream.verifyAs === null ? null : (sayHost?.replace(/:\d+$/, '').toLowerCase() ?? upstream.verifyAs),
  };
  return { kind: 'service', upstream: named };
}

/** Another path of the same road as it is; a URL without the slash at its end, since the rest of the path follows. */
function pathUrl(url: string, map: SiteMap): string {
  return url.startsWith('/') ? url : withOutsidePort(url.replace(/\/+$/, ''), map);
}

/** A redirect to a name of this very map must carry the port that visitors see, or it leads past the front. */
function withOutsidePort(url: string, { front, roads }: SiteMap): string {
  const parsed = new URL(url);
  if (!roads.some(({ name }) => covers([name], hostOf(parsed))) || parsed.port !== '') return url;
  const outside = parsed.protocol === 'https:' ? front.ports.https : front.ports.http;
  if (outside === portOf(parsed)) return url;
  const path = parsed.pathname === '/' ? '' : parsed.pathname;
  return `${parsed.protocol}//${hostOf(parsed)}:${String(outside)}${path}`;
}
