import { clientOf } from './client.ts';
import { roadNamed } from '../plan/wildcard-road.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import type { Prepared, VerdictRequest } from './verdict.ts';

/**
 * What the steps share about one request, worked out once.
 *
 * @property host the name asked for in comparable form, or null when the request does not say one properly
 * @property road as visitors of this very name meet it
 * @property target origin-form target to compare and pass on: what follows the authority, byte for byte
 */
export interface Context {
  prepared: Prepared;
  request: VerdictRequest;
  sni: string | null;
  client: string;
  host: string | null;
  target: string;
  road: PlannedRoad | null;
}

export function contextOf(prepared: Prepared, request: VerdictRequest): Context {
  // Nearly every target is a path, and needs no look at what else it may be.
  const absolute = request.target.startsWith('/') ? null : /^https?:\/\/([^/?#]*)(.*)$/is.exec(request.target);
  const host = hostAskedFor(prepared, request, absolute?.[1]);
  const rest = absolute?.[2] ?? request.target;
  return {
    prepared,
    request,
    sni: request.sni === null ? null : request.sni.toLowerCase().replace(/\.$/, ''),
    // 2. RFC 7239 §8.1: a header about the visitor is worth as much as the one who sent it.
    client: clientOf(request, prepared),
    host,
    // An absolute-form target without a path asks for the root (RFC 9112 §3.2.1).
    target: absolute !== null && !rest.startsWith('/') ? `/${rest}` : rest,
    road: roadAskedFor(host, prepared),
  };
}

function roadAskedFor(host: string | null, { roadOf }: Prepared): PlannedRoad | null {
  const road = host === null ? null : roadOf(host);
  return host === null || road === null ? null : roadNamed(road, host);
}

/** The authority of an absolute-form target wins over Host, which must still be there once and be proper (RFC 9112 §3.2.2). */
function hostAskedFor(
  { hostOf }: Prepared,
  { host, httpVersion }: VerdictRequest,
  authority: string | undefined,
): string | null {
  if (host.length > 1) return null;
  const line = host[0];
  if (authority !== undefined) {
    const proper = line === undefined ? httpVersion === '1.0' : hostOf(line) !== null;
    return proper ? hostOf(authority) : null;
  }
  return line === undefined ? null : hostOf(line);
}
