import type { Place } from '../findings/finding.ts';

/** A public address of the front as the map gives it. */
export type FrontAddress =
  { kind: 'literal'; address: string } | { kind: 'name'; name: string } | { kind: 'interface'; name: string };

export type Unknown = { act: 'refuse' } | { act: 'not-found' } | { act: 'redirect'; url: string };

/** Where a road leads, as written. `port` is the port inside the container for a service, of this host for `port`. */
export type Leads =
  | { kind: 'service'; project: string | null; service: string; port: number }
  | { kind: 'port'; port: number }
  | { kind: 'url'; scheme: 'http' | 'https'; host: string; port: number }
  | { kind: 'redirect'; url: string; permanent: boolean };

export type GateName = 'everyone' | 'home';

/** @property name full name, comparable form @property key as written in the map */
export interface MapRoad {
  name: string;
  display: string;
  key: string;
  where: Place;
  leads: Leads;
  leadsWhere: Place;
  gate: GateName;
  paused: boolean;
}

/** The map after reading: every default filled in, every name in comparable form, every part with its place. */
export interface SiteMap {
  file: string;
  domains: string[];
  front: {
    addresses: FrontAddress[];
    homeNetworks: string[] | null;
    ports: { http: number; https: number };
    listen: { http: number; https: number };
    proxy: 'builtin' | 'nginx';
    mark: { address: string; port: number };
    unknown: Unknown;
    where: Place;
  };
  compose: Array<{ path: string; where: Place }>;
  roads: MapRoad[];
}
