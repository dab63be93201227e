import type { PlannedRoad } from '../plan/plan.ts';
import type { Upstream } from '../plan/upstream.ts';
import { toldOf } from './client.ts';
import type { Client } from '../networks/client.ts';

/** What a service is told of the visitor: `Forwarded` (RFC 7239 §4), the trade's X-Forwarded-* set, and Host as the visitor sees it. */
export function forwardedHeaders(
  road: PlannedRoad,
  client: Client,
  scheme: 'http' | 'https',
  ports: Ports,
): Record<string, string> {
  const authority = authorityOn(road, scheme, ports);
  const told = toldOf(client);
  return {
    host: authority,
    forwarded: `for=${forwardedNode(told)};host="${authority}";proto=${scheme}`,
    'x-forwarded-for': told,
    'x-forwarded-host': authority,
    'x-forwarded-port': String(ports[scheme]),
    'x-forwarded-proto': scheme,
    'x-real-ip': told,
  };
}

/** The same for a service that is asked directly, with the Host that the map has for it. */
export function directHeaders(road: PlannedRoad, { sayHost }: Upstream, ports: Ports): Record<string, string> {
  const headers = forwardedHeaders(road, { known: true, address: '127.0.0.1' }, 'https', ports);
  return sayHost === null ? headers : { ...headers, host: sayHost };
}

interface Ports {
  http: number;
  https: number;
}

/** Name and port as the visitor sees them; the scheme's own port is left out (RFC 9110 §4.2). */
export function authorityOn({ name, authority }: PlannedRoad, scheme: 'http' | 'https', ports: Ports): string {
  if (scheme === 'https') return authority;
  return ports.http === 80 ? name : `${name}:${String(ports.http)}`;
}

/** RFC 7239 §6: an IPv6 address in brackets and quotes, and `unknown` as it is. */
export function forwardedNode(client: string): string {
  return client.includes(':') ? `"[${client}]"` : client;
}
