import type { Place } from '../findings/finding.ts';
import type { GatePart } from '../gates/check.ts';
import type { ProxyName } from '../proxies/names.ts';
import type { SaidRules } from '../road-rules/road-rules.ts';
import type { UpstreamKeys } from './upstream-keys.ts';

/** A public address of the front as the map gives it. */
export type FrontAddress =
  { kind: 'literal'; address: string } | { kind: 'name'; name: string } | { kind: 'interface'; name: string };

export type Unknown = { act: 'refuse' } | { act: 'not-found' } | { act: 'redirect'; url: string };

/** Where a road leads, as written. `port` is the port inside the container for a service, of this machine for `port`. `machine` is null for this machine. */
export type Leads =
  | { kind: 'service'; project: string | null; service: string; machine: string | null; port: number }
  | { kind: 'port'; port: number }
  | { kind: 'url'; scheme: 'http' | 'https'; host: string; port: number }
  | { kind: 'redirect'; url: string; permanent: boolean }
  | { kind: 'folder'; path: string };

/**
 * A part of a road: the paths below one prefix, and where they lead.
 *
 * @property prefix matches at or below it, in normal form only; `/` takes what no other prefix does
 */
export interface MapPart {
  prefix: string;
  leads: Leads;
  where: Place;
}

/** Leads that end at a program which must be dialled. */
export type DialledLeads = Extract<Leads, { kind: 'service' | 'port' | 'url' }> | RawLeads;

/** Where a raw port leads, as written. `endpoint` is another machine, by an address or a name. */
export type RawLeads = Extract<Leads, { kind: 'service' | 'port' }> | { kind: 'endpoint'; host: string; port: number };

export type Protocol = 'tcp' | 'udp';

/**
 * A raw port of the front, that is, not the web.
 *
 * @property name as it stands in the map: `8883/tcp`
 * @property gates all of them must let a visitor pass; by networks alone
 * @property tls the name whose certificate is shown, where TLS ends at the front; else null
 * @property tellsVisitor the service is told the visitor's address (PROXY protocol, version 1)
 */
export interface MapPort {
  name: string;
  port: number;
  protocol: Protocol;
  leads: RawLeads;
  gates: string[];
  tls: string | null;
  tellsVisitor: boolean;
  where: Place;
}

/**
 * @property name full name, comparable form
 * @property key as written in the map
 * @property gates all of them must let a visitor pass
 * @property written every other key as it was read
 * @property fromLabel the service whose label made it; null for a road of the map's own
 * @property ofPort the raw port whose name it is, and nothing else; absent for every other road
 */
export interface MapRoad {
  name: string;
  display: string;
  key: string;
  where: Place;
  /** Longest prefix first, `/` last: where the road itself leads. */
  parts: MapPart[];
  gates: string[];
  paused: boolean;
  rules: SaidRules;
  upstream: UpstreamKeys;
  /** Line of each key that was written. */
  lines: Record<string, number>;
  written: Record<string, unknown>;
  fromLabel: string | null;
  ofPort?: string;
}

/**
 * A certificate that the map asks for.
 *
 * @property names comparable forms; a wildcard as `*.NAME`
 * @property files paths relative to the map, for one that somebody else keeps
 */
export interface MapCertificate {
  id: string;
  names: string[];
  from: 'practice' | 'acme' | 'files';
  key: 'ec' | 'rsa';
  files: { certificate: string; key: string } | null;
  where: Place;
}

export interface MapAcme {
  directory: string;
  root: string | null;
  contact: string | null;
  /** `key` is the path of a file, relative to the map. */
  external: { id: string; key: string } | null;
  challenge: 'http' | 'dns';
}

/** @property server NAME:PORT or ADDRESS:PORT */
export type AddressFrom =
  { kind: 'interface'; name: string } | { kind: 'stun'; server: string } | { kind: 'program'; program: string[] };

/** How records are published; with neither server nor program by hand. Paths are relative to the map. */
interface MapDns {
  server: string | null;
  key: string | null;
  program: string[] | null;
  /** A service for dynamic names that is told the front's address, and the file with the login there. */
  updateUrl: string | null;
  updateLogin: string | null;
  /** How an address that changes is learned. */
  addressFrom: AddressFrom | null;
  style: 'aliases' | 'addresses' | 'wildcard';
  ttlSeconds: number;
}

export const pageKinds = ['paused', 'down', 'refused', 'unknown'] as const;
export type PageKind = (typeof pageKinds)[number];

/** A page of one's own. @property path relative to the map */
interface MapPage {
  kind: PageKind;
  path: string;
  where: Place;
}

/**
 * How far labels of containers are obeyed.
 *
 * @property obey names in comparable form; a label makes a road at them and below
 * @property gates that a label may ask for beside `home`
 */
export interface MapLabels {
  obey: string[];
  gates: string[];
  where: Place;
}

/**
 * Another host whose containers the map leads to.
 *
 * @property engine where its engine is asked @property keys path of a folder with ca.pem, cert.pem and key.pem, relative to the map
 * @property address where the front reaches its published ports
 */
export interface MapMachine {
  name: string;
  engine: string;
  keys: string | null;
  address: string;
  where: Place;
}

/** The map after reading: every default filled in, every name in comparable form, every part with its place. */
export interface SiteMap {
  file: string;
  domains: string[];
  front: {
    addresses: FrontAddress[];
    /** Addresses of the same machine as seen from home. */
    home: string[];
    homeNetworks: string[] | null;
    ports: { http: number; https: number };
    listen: { http: number; https: number };
    proxy: ProxyName;
    proxyWhere: Place;
    /** Name of the container that the proxy runs in, or null for this machine. */
    container: string | null;
    /** Nodes of the cluster that run that container as a service; null for a container, or none, on this machine. */
    nodes: string[] | null;
    mark: { address: string; port: number };
    unknown: Unknown;
    edge: { networks: string[]; header: string; replaces: boolean; speaks: 'https' | 'http' } | null;
    where: Place;
  };
  compose: Array<{ path: string; where: Place }>;
  /** The engine is a manager of a cluster. */
  cluster: boolean;
  machines: MapMachine[];
  /** Networks on which clear text between machines is fine. */
  privateNetworks: string[];
  /** Null when the map does not say. */
  engine: { address: string; where: Place } | null;
  acme: MapAcme | null;
  dns: MapDns;
  certificates: MapCertificate[];
  gates: GatePart[];
  roads: MapRoad[];
  ports: MapPort[];
  pages: MapPage[];
  /** Null when no label is obeyed. */
  labels: MapLabels | null;
}
