import { parseDuration, parseRate, parseSize, type Rate } from './units.ts';
import { webUrl } from './leads.ts';
import type { RoadKeys } from './schema/map.ts';

/** Who may use a road from pages of other origins (Fetch standard, CORS protocol). @property origins `*` alone means every one */
export interface Cors {
  origins: string[];
  methods: string[];
  headers: string[];
  credentials: boolean;
  maxAgeSeconds: number | null;
}

/** How a service behind https proves who it is. Paths are relative to the map. */
type MapTrust = { kind: 'system' } | { kind: 'ca'; file: string } | { kind: 'pin'; digest: string } | { kind: 'none' };

/** What `verify` must find at the end of a road. Null where the map does not say. */
export interface Expect {
  path: string;
  status: number | null;
  text: string | null;
  websocket: boolean;
}

/** What a road says beyond its name, where it leads, and who may pass. Null where the map does not say. */
export interface RoadRules {
  methods: string[] | null;
  rate: Rate | null;
  bodyLimitBytes: number | null;
  timeoutSeconds: number | null;
  plain: boolean;
  /** Seconds, or what was written. */
  hsts: 'on' | 'off' | 'forget' | number | null;
  responseHeaders: Array<[string, string]>;
  securityHeaders: 'basic' | 'strict' | 'off';
  cors: Cors | null;
  trust: MapTrust;
  upstreamHost: string | null;
  /** True, false, or the path of a file, relative to the map; null leaves it to the proxy. */
  log: boolean | string | null;
  expect: Expect | null;
  /** Rules whose warnings are meant so. */
  meantSo: string[];
}

/** Reads the keys of a road that were found sound. Total: what is not, findings have told. */
export function roadRules(written: RoadKeys): RoadRules {
  return {
    methods: written.methods?.map((method) => method.toUpperCase()) ?? null,
    rate: written.rate === undefined ? null : parseRate(written.rate),
    bodyLimitBytes: written['body-limit'] === undefined ? null : parseSize(written['body-limit']),
    timeoutSeconds: written.timeout === undefined ? null : parseDuration(written.timeout),
    plain: written.plain ?? false,
    hsts: hstsOf(written.hsts),
    responseHeaders: Object.entries(written['response-headers'] ?? {}),
    securityHeaders: written['security-headers'] ?? 'basic',
    cors: written.cors === undefined ? null : corsOf(written.cors),
    trust: trustOf(written),
    upstreamHost: written['upstream-host'] ?? null,
    log: written.log ?? null,
    expect: expectOf(written.expect),
    meantSo: written['meant-so'] ?? [],
  };
}

function expectOf(written: RoadKeys['expect']): Expect | null {
  if (written === undefined) return null;
  const { path, status = null, text = null, websocket } = written;
  return { path, status, text, websocket };
}

function hstsOf(written: RoadKeys['hsts']): RoadRules['hsts'] {
  if (written === undefined) return null;
  if (written === 'on' || written === 'off' || written === 'forget') return written;
  return parseDuration(written);
}

function corsOf({ origins, methods, headers, credentials, 'max-age': maxAge }: NonNullable<RoadKeys['cors']>): Cors {
  return {
    origins: origins.map((origin) => (origin === '*' ? '*' : (webUrl(origin)?.origin ?? origin))),
    methods: (methods ?? []).map((method) => method.toUpperCase()),
    headers: headers ?? [],
    credentials,
    maxAgeSeconds: maxAge === undefined ? null : parseDuration(maxAge),
  };
}

function trustOf(written: RoadKeys): MapTrust {
  if (written['upstream-ca'] !== undefined) return { kind: 'ca', file: written['upstream-ca'] };
  if (written['upstream-pin'] !== undefined) return { kind: 'pin', digest: written['upstream-pin'] };
  return written['upstream-insecure'] === true ? { kind: 'none' } : { kind: 'system' };
}

/** Where part of a road may send visitors: a path of the same road in normal form, or a URL without query. */
export function isPathRedirect(text: string): boolean {
  if (text.startsWith('/')) return /^\/(?!\/)[A-Za-z0-9._~!$&'()*+,=:@/-]*$/.test(text) && !text.includes('//');
  const url = webUrl(text);
  return url !== null && url.search === '' && url.hash === '' && url.username === '' && url.password === '';
}

/** RFC 6454 §7: scheme, host and port alone. */
export function isOrigin(text: string): boolean {
  const url = webUrl(text);
  return text === '*' || (url !== null && url.origin.toLowerCase() === text.toLowerCase().replace(/\/$/, ''));
}

/** Headers that belong to the protocol, or for which the map has a key of its own. In lower case. */
export const reservedHeaders: ReadonlyMap<string, string> = new Map([
  ['connection', 'It belongs to one connection, and the proxy sets it.'],
  ['content-encoding', 'The service says how it coded its answer.'],
  ['content-length', 'The proxy counts it.'],
  ['content-type', 'The service knows what it sends.'],
  ['date', 'The proxy sets it.'],
  ['keep-alive', 'It belongs to one connection, and the proxy sets it.'],
  ['location', 'Write `redirect` for a redirect.'],
  ['proxy-connection', 'It belongs to one connection, and the proxy sets it.'],
  ['server', 'The proxy sets it.'],
  ['set-cookie', 'Cookies are the service’s.'],
  ['strict-transport-security', 'Write `hsts`.'],
  ['te', 'It belongs to one connection, and the proxy sets it.'],
  ['trailer', 'It belongs to one connection, and the proxy sets it.'],
  ['transfer-encoding', 'The proxy frames the answer.'],
  ['upgrade', 'It belongs to one connection, and the proxy sets it.'],
  ['vary', 'The service says what its answer depends on.'],
  ['www-authenticate', 'Write a gate with `people`.'],
]);
