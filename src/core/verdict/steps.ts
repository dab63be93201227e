import { inNetworks } from '../networks/address.ts';
import { tokenIn } from '../certificates/challenge.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import type { Context } from './context.ts';
import { isSoundTarget } from './target.ts';
import type { Act, Prepared, StepName } from './verdict.ts';

/** One step of the order: what it does with a request, or null to let the next one speak. */
export interface Step {
  name: StepName;
  take: (context: Context) => { act: Act; mapLine: number } | null;
}

const nobodyLine = 0;

const answer = (status: number, headers: Record<string, string> = {}): Act => ({ act: 'answer', status, headers });

/** 1. RFC 6066 §3. No name, or one that no certificate covers or the map does not have: no certificate is shown at all. */
function handshake({ request, sni, prepared }: Context): ReturnType<Step['take']> {
  if (request.listener === 'http' || admitsName(prepared, sni)) return null;
  return { act: { act: 'no-handshake' }, mapLine: prepared.plan.front.where.line };
}

/** Whether a handshake for this name (comparable form) may go on. All that can be known of a request before it is there. */
export function admitsName({ plan, certificateFor, roads }: Prepared, sni: string | null): boolean {
  return sni !== null && certificateFor(sni) !== null && (roads.has(sni) || plan.front.unknown.act !== 'refuse');
}

/** 3. RFC 9112 §3.2 (Host), RFC 9110 §9.3.6 and §9.3.8 (CONNECT, TRACE). Nothing malformed reaches a service. */
function sanity({ request, host, target }: Context): ReturnType<Step['take']> {
  if (request.method === 'CONNECT' || request.method === 'TRACE') {
    return { act: answer(405, { allow: 'GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS' }), mapLine: nobodyLine };
  }
  if (host === null || !isSoundTarget(target) || hasTwoLengths(request.headers))
    return { act: answer(400), mapLine: nobodyLine };
  return null;
}

/** RFC 9112 §6.1: with both, front and service may differ in where the body ends, which smuggles a request past the gate. */
function hasTwoLengths(headers: Context['request']['headers']): boolean {
  return headers['transfer-encoding'] !== undefined && headers['content-length'] !== undefined;
}

/** 4. RFC 8555 §8.3: a pending token of this name, on plain HTTP, before gates and redirects; nothing else is answered here. */
function acmeChallenge({ request, road, target }: Context): ReturnType<Step['take']> {
  const { challenge = null, listener, method } = request;
  if (road === null || challenge === null || listener !== 'http' || tokenIn(target) === null) return null;
  if (method !== 'GET' && method !== 'HEAD') return null;
  const headers = { 'content-type': 'text/plain' };
  return { act: { act: 'answer', status: 200, headers, body: challenge }, mapLine: road.where.line };
}

/** 5. A name that is not on the map: `front.unknown`. RFC 9110 §15.5.20 for a shared HTTP/2 connection. */
function unknownName({ road, prepared, request }: Context): ReturnType<Step['take']> {
  if (road !== null) return null;
  const { unknown, where } = prepared.plan.front;
  const mapLine = where.line;
  switch (unknown.act) {
    case 'refuse':
      return { act: request.httpVersion === '2.0' ? answer(421) : { act: 'close' }, mapLine };
    case 'not-found':
      return { act: answer(404), mapLine };
    case 'redirect':
      return { act: { act: 'answer', status: 307, location: unknown.url, headers: {} }, mapLine };
  }
}

/** 6. RFC 9110 §7.4: the certificate shown must cover the name asked for. */
function misdirected({ request, sni, road, prepared }: Context): ReturnType<Step['take']> {
  if (request.listener === 'http' || road === null) return null;
  return prepared.certificateFor(sni ?? '') === road.certificate
    ? null
    : { act: answer(421), mapLine: road.where.line };
}

/** 7. RFC 9110 §15.4.9: 308 keeps method and body; the target is kept byte for byte. */
function plainHttp({ request, road, target }: Context): ReturnType<Step['take']> {
  if (request.listener === 'https' || road === null) return null;
  const location = `https://${road.authority}${target}`;
  return { act: { act: 'answer', status: 308, location, headers: {} }, mapLine: road.where.line };
}

/** 8. RFC 9110 §15.6.4. Before the gate: a road that is off asks nobody for anything. */
function paused({ road }: Context): ReturnType<Step['take']> {
  return road?.paused === true ? { act: answer(503), mapLine: road.where.line } : null;
}

/** 12. Networks first (403), people after (401, once the map has people). */
function gate({ road, client }: Context): ReturnType<Step['take']> {
  const networks = road?.gate.networks ?? null;
  if (road === null || networks === null) return null;
  if (inNetworks(client, networks.networks) && !networks.except.includes(client)) return null;
  return { act: answer(403), mapLine: road.where.line };
}

/** 13. Where the road leads. */
function leads({ road, request, client, target, prepared }: Context): ReturnType<Step['take']> {
  if (road === null) return null;
  const mapLine = road.leadsWhere.line;
  if (road.leads.kind === 'redirect') {
    const { url, status } = road.leads;
    return { act: { act: 'answer', status, location: `${url}${target}`, headers: {} }, mapLine };
  }
  const { upstream } = road.leads;
  if (upstream === null) return { act: answer(502), mapLine };
  const { edge } = prepared.plan.front;
  // A service may be set to read the edge's own header; what anybody else wrote there must not reach it.
  const own = edge === null ? {} : { [edge.header]: client };
  const headers = { ...own, ...forwardedHeaders(road, client, request.listener) };
  return { act: { act: 'forward', upstream, target, headers }, mapLine };
}

/** What a service is told of the visitor: the trade's X-Forwarded-* set, and Host as the visitor sees it. */
export function forwardedHeaders(road: PlannedRoad, client: string, scheme: 'http' | 'https'): Record<string, string> {
  return {
    host: road.authority,
    'x-forwarded-for': client,
    'x-forwarded-host': road.authority,
    'x-forwarded-port': road.authority.split(':')[1] ?? '443',
    'x-forwarded-proto': scheme,
  };
}

/** A step that stops nobody, or whose keys are not carried out yet. It keeps its place, since every proxy keeps this order. */
const later = (name: StepName): Step => ({ name, take: () => null });

export const steps: readonly Step[] = [
  { name: 'handshake', take: handshake },
  later('true-address'), // 2. stops nobody: what it finds is the client of every step, see client.ts
  { name: 'sanity', take: sanity },
  { name: 'acme-challenge', take: acmeChallenge },
  { name: 'unknown-name', take: unknownName },
  { name: 'misdirected', take: misdirected },
  { name: 'plain-http', take: plainHttp },
  { name: 'paused', take: paused },
  later('method'), // 9. needs roads.*.methods: 405 with Allow
  later('cors-preflight'), // 10. needs roads.*.cors; a preflight carries no credentials, so it comes before the gate
  later('rate'), // 11. needs roads.*.rate: 429, before passwords since hashing is costly
  { name: 'gate', take: gate },
  { name: 'leads', take: leads },
];
