import { clientOf } from './client.ts';
import type { Client } from '../networks/client.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import type { Asked, Prepared, Shown, VerdictRequest } from './verdict.ts';

/**
 * What the steps share about one request, worked out once.
 *
 * @property shown what the handshake got, or null without a server name
 * @property asked what is remembered of the name asked for
 * @property host the name asked for in comparable form, or null when the request does not say one properly
 * @property road as visitors of this very name meet it
 * @property target origin-form target to compare and pass on: what follows the authority, byte for byte
 */
export interface Context {
  prepared: Prepared;
  request: VerdictRequest;
  shown: Shown | null;
  client: Client;
  asked: Asked | null;
  host: string | null;
  target: string;
  road: PlannedRoad | null;
}

export function contextOf(prepared: Prepared, request: VerdictRequest): Context {
  // Nearly every target is a path, and needs no look at what else it may be.
  const absolute = request.target.startsWith('/') ? null : /^https?:\/\/([^/?#]*)(.*)$/is.exec(request.target);
  const asked = askedFor(prepared, request, absolute?.[1]);
  const rest = absolute?.[2] ?? request.target;
  return {
    prepared,
    request,
    shown: request.sni === null ? null : prepared.shownTo(request.sni),
    // 2. RFC 7239 §8.1: a header about the visitor is worth as much as the one who sent it.
    client: clientOf(request, prepared),
    asked,
    host: asked?.host ?? null,
    // An absolute-form target without a path asks for the root (RFC 9112 §3.2.1).
    target: absolute !== null && !rest.startsWith('/') ? `/${rest}` : rest,
    road: asked?.road ?? null,
  };
}

/** The authority of an absolute-form target wins over Host, which must still be there once and be proper (RFC 9112 §3.2.2). */
function askedFor(
  { askedFor: asked }: Prepared,
  { host, httpVersion }: VerdictRequest,
  authority: string | undefined,
): Asked | null {
  if (host.length > 1) return null;
  const line = host[0];
  if (authority !== undefined) {
    const proper = line === undefined ? httpVersion === '1.0' : asked(line) !== null;
    return proper ? asked(authority) : null;
  }
  return line === undefined ? null : asked(line);
}
