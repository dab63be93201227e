import type { Cors } from '../road-rules/cors.ts';
import type { VerdictRequest } from './verdict.ts';

type Headers = VerdictRequest['headers'];

/** Methods that every origin may use without asking (Fetch standard, "CORS-safelisted method"). */
const safelisted = ['GET', 'HEAD', 'POST'];

/** What `Access-Control-Allow-Origin` says to this origin; null when it may not read the answer. */
export function allowedOrigin({ origins }: Cors, headers: Headers): string | null {
  const origin = originOf(headers);
  if (origin === null) return null;
  if (origins.includes('*')) return '*';
  return origins.includes(origin) ? origin : null;
}

/** Fetch standard, "CORS-preflight request": OPTIONS with the two headers that ask. */
export function isPreflight({ method, headers }: Pick<VerdictRequest, 'method' | 'headers'>): boolean {
  return method === 'OPTIONS' && originOf(headers) !== null && first(headers['access-control-request-method']) !== null;
}

/** What is answered to the preflight of an origin that may ask. */
export function preflightHeaders(cors: Cors): Array<[string, string]> {
  const lines: Array<[string, string]> = [['Access-Control-Allow-Methods', allowedMethods(cors).join(', ')]];
  if (cors.headers.length > 0) lines.push(['Access-Control-Allow-Headers', cors.headers.join(', ')]);
  if (cors.maxAgeSeconds !== null) lines.push(['Access-Control-Max-Age', String(cors.maxAgeSeconds)]);
  return lines;
}

/** What every answer says to an origin. `Vary` even where it may not read: the answer to another differs (RFC 9110 §12.5.5). */
export function originHeaders(cors: Cors, origin: string | null): Array<[string, string]> {
  const lines: Array<[string, string]> = cors.origins.includes('*') ? [] : [['Vary', 'Origin']];
  if (origin === null) return lines;
  lines.push(['Access-Control-Allow-Origin', origin]);
  if (cors.credentials) lines.push(['Access-Control-Allow-Credentials', 'true']);
  return lines;
}

export function allowedMethods({ methods }: Cors): string[] {
  return [...new Set([...safelisted, ...methods])];
}

/** What a service says about other origins gives way to the map, but for what its own pages may read. */
export const corsHeaders = [
  'access-control-allow-credentials',
  'access-control-allow-headers',
  'access-control-allow-methods',
  'access-control-allow-origin',
  'access-control-max-age',
];

function originOf(headers: Headers): string | null {
  return first(headers['origin']);
}

/** One line alone counts; what stands there twice is nobody's. */
function first(lines: readonly string[] | undefined): string | null {
  const [line, second] = lines ?? [];
  return line === undefined || line === '' || second !== undefined ? null : line;
}
