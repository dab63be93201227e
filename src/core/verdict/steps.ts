import { tokenIn } from '../certificates/challenge.ts';
import type { PlannedLeads, PlannedRoad } from '../plan/plan.ts';
import { answerRules } from './answer-rules.ts';
import type { Context } from './context.ts';
import { allowedOrigin, isPreflight, preflightHeaders } from './cors.ts';
import { forwardedHeaders } from './forwarded.ts';
import { asksPeople, passGate } from './gate.ts';
import { partAt } from '../plan/parts.ts';
import { locationOf } from './location.ts';
import { fileAskedFor, isSoundTarget } from './target.ts';
import type { Act, Prepared, StepName } from './verdict.ts';

/** One step of the order: what it does with a request, or null to let the next one speak. */
export interface Step {
  name: StepName;
  take: (context: Context) => { act: Act; mapLine: number } | null;
}

const nobodyLine = 0;

/** The line of the first of these keys that was written, else the road's own. */
export function lineOf({ lines, where }: PlannedRoad, ...keys: string[]): number {
  return keys.flatMap((key) => lines[key] ?? [])[0] ?? where.line;
}

const answer = (status: number, headers: Record<string, string> = {}): Act => ({ act: 'answer', status, headers });

/** 1. RFC 6066 §3. No name, or one that no certificate covers or the map does not have: no certificate is shown at all. */
function handshake({ request, sni, prepared }: Context): ReturnType<Step['take']> {
  if (request.listener === 'http' || admitsName(prepared, sni)) return null;
  return { act: { act: 'no-handshake' }, mapLine: prepared.plan.front.where.line };
}

/** Whether a handshake for this name (comparable form) may go on. All that can be known of a request before it is there. */
export function admitsName({ plan, certificateFor, roadOf }: Prepared, sni: string | null): boolean {
  return sni !== null && certificateFor(sni) !== null && (roadOf(sni) !== null || plan.front.unknown.act !== 'refuse');
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
  if (request.listener === 'https' || road === null || road.rules.plain) return null;
  const location = `https://${road.authority}${target}`;
  return { act: { act: 'answer', status: 308, location, headers: {} }, mapLine: road.where.line };
}

/** 8. RFC 9110 §15.6.4. Before the gate: a road that is off asks nobody for anything. */
function paused({ road }: Context): ReturnType<Step['take']> {
  return road?.paused === true ? { act: answer(503), mapLine: lineOf(road, 'paused') } : null;
}

/** RFC 9110 §15.5.14, by the length that the request announces. One that announces none is cut off by the proxy as it grows. */
function bodyLimit({ road, request }: Context): ReturnType<Step['take']> {
  const limit = road?.rules.bodyLimitBytes ?? null;
  if (road === null || limit === null || Number(request.headers['content-length']?.[0] ?? 0) <= limit) return null;
  return { act: answer(413), mapLine: lineOf(road, 'body-limit') };
}

/** 9. RFC 9110 §15.5.6. */
function method({ road, request }: Context): ReturnType<Step['take']> {
  const methods = road?.rules.methods ?? null;
  if (road === null || methods === null || methods.includes(request.method)) return null;
  return { act: answer(405, { allow: methods.join(', ') }), mapLine: lineOf(road, 'methods') };
}

/** 10. Before the gate, since a preflight carries no credentials (Fetch standard, CORS protocol). */
function corsPreflight({ road, request }: Context): ReturnType<Step['take']> {
  const cors = road?.rules.cors ?? null;
  if (road === null || cors === null || !isPreflight(request)) return null;
  const mapLine = lineOf(road, 'cors');
  if (allowedOrigin(cors, request.headers) === null) return { act: answer(403), mapLine };
  const headers = Object.fromEntries(preflightHeaders(cors).map(([name, value]) => [name.toLowerCase(), value]));
  return { act: answer(204, headers), mapLine };
}

/** 11. RFC 6585 §4, before passwords, since hashing is costly. */
function rate({ road, request }: Context): ReturnType<Step['take']> {
  const allowed = road?.rules.rate ?? null;
  if (road === null || allowed === null || !request.overRate) return null;
  const wait = String(Math.ceil(allowed.perSeconds / allowed.requests));
  return { act: answer(429, { 'retry-after': wait }), mapLine: lineOf(road, 'rate', 'gate') };
}

/** 12. Networks first (403), people after (401, RFC 7617 §2). */
function gate({ road, client, target, request }: Context): ReturnType<Step['take']> {
  if (road === null) return null;
  const outcomes = passGate(road.gate, { client, target, request });
  const refused = outcomes[outcomes.length - 1];
  if (refused === undefined || refused.status === null) return null;
  const headers: Record<string, string> =
    refused.status === 401 ? { 'www-authenticate': `Basic realm="${road.name}"` } : {};
  // What a part of one's own says stands under `gates`; built-in ones have only the road.
  return { act: answer(refused.status, headers), mapLine: refused.part.where.line };
}

/** 13. Where the road leads, or the part of it that the target lies in. */
function leads(context: Context): ReturnType<Step['take']> {
  const { road, target } = context;
  if (road === null) return null;
  const part = partAt(road, target);
  return { act: lead(part.leads, context, road), mapLine: part.where.line };
}

function lead(to: PlannedLeads, context: Context, road: NonNullable<Context['road']>): Act {
  const { request, client, target, prepared } = context;
  switch (to.kind) {
    case 'redirect':
      return { act: 'answer', status: to.status, location: locationOf(to, target), headers: {} };
    case 'folder':
      if (request.method !== 'GET' && request.method !== 'HEAD')
        return answer(405, { allow: (road.rules.methods ?? ['GET', 'HEAD']).join(', ') });
      return { act: 'folder', root: to.path, path: fileAskedFor(target), target, headers: {} };
    case 'service': {
      const { upstream } = to;
      if (upstream === null) return answer(502);
      const { edge, ports } = prepared.plan.front;
      // A service may be set to read the edge's own header; what anybody else wrote there must not reach it.
      const own = edge === null ? {} : { [edge.header]: client };
      const forwarded = forwardedHeaders(road, client, request.listener, ports);
      const host = upstream.sayHost === null ? {} : { host: upstream.sayHost };
      return {
        act: 'forward',
        upstream,
        target,
        headers: { ...own, ...forwarded, ...host },
        without: provesPerson(context, road) ? ['authorization'] : [],
        silenceSeconds: road.rules.silenceSeconds,
        bodyLimitBytes: road.rules.bodyLimitBytes,
        answer: answerRules(road, request),
      };
    }
  }
}

/** A password for the gate is the front's: a service that got it could be made to tell it, or take it for one of its own. */
function provesPerson({ request, target }: Context, road: NonNullable<Context['road']>): boolean {
  const [line] = request.headers['authorization'] ?? [];
  return line !== undefined && /^basic(?: |$)/i.test(line) && asksPeople(road.gate, target);
}

/** A step that stops nobody. It keeps its place, since every proxy keeps this order. */
const silent = (name: StepName): Step => ({ name, take: () => null });

export const steps: readonly Step[] = [
  { name: 'handshake', take: handshake },
  silent('true-address'), // 2. stops nobody: what it finds is the client of every step, see client.ts
  { name: 'sanity', take: sanity },
  { name: 'acme-challenge', take: acmeChallenge },
  { name: 'unknown-name', take: unknownName },
  { name: 'misdirected', take: misdirected },
  { name: 'plain-http', take: plainHttp },
  { name: 'paused', take: paused },
  { name: 'body-limit', take: bodyLimit },
  { name: 'method', take: method },
  { name: 'cors-preflight', take: corsPreflight },
  { name: 'rate', take: rate },
  { name: 'gate', take: gate },
  { name: 'leads', take: leads },
];
