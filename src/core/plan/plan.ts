import type { Upstream } from './upstream.ts';
import type { Place } from '../findings/finding.ts';
import type { PlannedRules } from '../road-rules/road-rules.ts';
import type { PlannedGate } from '../gates/check.ts';
import type { PageKind, Protocol, Unknown } from '../map/site-map.ts';
import type { ProxyName } from '../proxies/names.ts';
import type { Resolution } from './resolve-service.ts';

/** Raised whenever a reader of the older form would misread the newer one. */
export const planVersion = 7;

/**
 * Where a road leads. `upstream: null`: it could not be worked out, findings say why, and every proxy answers 502. A folder's path is
 * absolute. A redirect puts `url` before the request's target, or before what follows `below` when that is a prefix.
 */
export type PlannedLeads =
  | { kind: 'service'; upstream: Upstream | null }
  | { kind: 'redirect'; url: string; status: 307 | 308; below: string | null }
  | { kind: 'folder'; path: string };

/**
 * A part of a road: the paths below one prefix, and where they lead.
 *
 * @property prefix matches at or below it, in normal form only; `/` takes what no other prefix does
 * @property resolution what became of its `to`; null for a redirect or a folder, and in a plan that was read back from a file
 */
export interface PlannedPart {
  prefix: string;
  leads: PlannedLeads;
  resolution: Resolution | null;
  where: Place;
}

/**
 * @property name full name in comparable form
 * @property authority what visitors see after `https://`: the name, and the outside port unless it is 443
 * @property certificate id of the certificate that is shown for this name
 */
export interface PlannedRoad {
  name: string;
  display: string;
  authority: string;
  certificate: string;
  gate: PlannedGate;
  paused: boolean;
  rules: PlannedRules;
  /** Longest prefix first, `/` last: where the road itself leads. */
  parts: PlannedPart[];
  /** Line of the map for each key that was written. */
  lines: Record<string, number>;
  where: Place;
}

/**
 * A raw port of the front: what arrives there from whom its gate lets in is passed on as it is.
 *
 * @property name as it stands in the map: `8883/tcp`
 * @property to where it is dialled; null when that could not be worked out: then nobody listens there
 * @property tls where TLS ends at the front: the name that visitors connect to, and the certificate that is shown
 * @property tellsVisitor the service is told the visitor's address first (PROXY protocol, version 1)
 * @property resolution what became of its `to`; null in a plan that was read back from a file
 */
export interface PlannedPort {
  name: string;
  port: number;
  protocol: Protocol;
  gate: PlannedGate;
  to: Pick<Upstream, 'host' | 'port' | 'byName' | 'service' | 'why'> | null;
  tls: { name: string; certificate: string } | null;
  tellsVisitor: boolean;
  resolution: Resolution | null;
  where: Place;
}

/**
 * A certificate that must be there. The files' paths are stable across editions; they may not exist yet.
 *
 * @property names a wildcard as `*.NAME`
 * @property challenge how its names are proven to the authority; null when nothing is to be proven
 * @property files where somebody else keeps it, relative to the map; it is taken over by `certs import`
 */
export interface PlannedCertificate {
  id: string;
  names: string[];
  from: 'practice' | 'acme' | 'files';
  key: 'ec' | 'rsa';
  challenge: 'http' | 'dns' | null;
  files: { certificate: string; key: string } | null;
  certificateFile: string;
  keyFile: string;
}

interface FrontInCluster {
  nodes: string[];
  networks: string[];
}

/**
 * Map and inventory with every default filled in and every address resolved: all that a renderer, the verdict and
 * `verify` need, as plain JSON. Secrets stand in it as file paths only.
 *
 * @property limits in seconds: to connect to a service, to wait for its next byte, and the same for a live connection
 *   (WebSocket), which is silent for long by nature
 */
export interface Plan {
  format: 'mile-marker-plan';
  version: typeof planVersion;
  map: string;
  /** Of the map, eight hexadecimal digits: made once, in the names of all that is written. */
  identity: string;
  domains: string[];
  front: {
    proxy: ProxyName;
    /** Name of the container that the proxy runs in, or null for this machine. */
    container: string | null;
    /** Nodes of the cluster on which that container runs as a service, and the networks that it is on; null without a cluster. */
    cluster: FrontInCluster | null;
    addresses: string[];
    names: string[];
    /** Addresses of the same machine as seen from home. */
    home: string[];
    ports: { http: number; https: number };
    listen: { addresses: string[]; http: number; https: number };
    mark: { address: string; port: number };
    unknown: Unknown;
    /** Who stands in front of the front. @property header lower case */
    edge: { networks: string[]; header: string; replaces: boolean; speaks: 'https' | 'http' } | null;
    where: Place;
  };
  host: { resolvers: string[]; trustedRoots: string | null };
  limits: { connectSeconds: number; silenceSeconds: number; liveSeconds: number };
  certificates: PlannedCertificate[];
  /** Absolute path of the folder with pending HTTP challenges, one folder a name; null when none can be pending. */
  challenges: string | null;
  roads: PlannedRoad[];
  ports: PlannedPort[];
  /** The text of each page that the front shows in place of plain words. */
  pages: Partial<Record<PageKind, string>>;
}
