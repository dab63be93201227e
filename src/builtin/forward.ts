import http, { type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http';
import https from 'node:https';
import type { Duplex } from 'node:stream';
import { pipeline } from 'node:stream';
import type { Plan } from '../core/plan/plan.ts';
import { forgeable, type Act } from '../core/verdict/verdict.ts';
import { codeOf, reasonOf } from '../adapters/trouble.ts';
import { sendAnswer } from './answer.ts';
import { passable, withoutUnderscores } from './request.ts';

export type Forward = Extract<Act, { act: 'forward' }>;

export interface ForwardContext {
  limits: Plan['limits'];
  /** Told when a service cannot be reached, in words for the administrator, never for the visitor. */
  onTrouble: (message: string) => void;
}

/** A service that let a time limit pass. */
class Silence extends Error {}

/** Passes a request to its service and the answer back, both as they come. 502 when it refuses, 504 when it is silent. */
export function forward(
  request: IncomingMessage,
  response: ServerResponse,
  to: Forward,
  context: ForwardContext,
): void {
  const outgoing = openRequest({ request, to, extra: [] });
  limitTime(outgoing, context.limits.connectSeconds, context.limits.silenceSeconds);
  outgoing.on('response', (incoming) => {
    if (!beginAnswer(response, incoming)) {
      outgoing.destroy(new Error('its answer has headers that cannot be passed on'));
      return;
    }
    response.flushHeaders();
    // From here on a pause may be the visitor's (a player that waits), so it is borne as long as on a live connection.
    outgoing.setTimeout(context.limits.liveSeconds * 1000);
    // A service that breaks off must not look finished: the visitor's connection is cut as well.
    pipeline(incoming, response, (error) => {
      if (error) response.destroy();
    });
  });
  outgoing.on('error', (error) => {
    // Once the answer has begun, its own stream says whether it is whole.
    if (response.destroyed || response.headersSent) return;
    context.onTrouble(`${to.headers['host'] ?? ''}: ${describe(to)}: ${reasonOf(error)}`);
    sendAnswer(response, statusOf(error), {});
  });
  response.on('close', () => outgoing.destroy());
  // Not `pipeline`: it would cut the visitor's connection when the service fails, and no 502 could be said.
  request.pipe(outgoing);
}

/** Passes a WebSocket upgrade (RFC 6455 §4) to its service and joins the two connections. */
export function forwardUpgrade(
  request: IncomingMessage,
  socket: Duplex,
  head: Buffer,
  to: Forward,
  context: ForwardContext,
): void {
  const response = responseOn(request, socket);
  const outgoing = openRequest({
    request,
    to,
    extra: [
      ['Connection', 'Upgrade'],
      ['Upgrade', 'websocket'],
    ],
  });
  limitTime(outgoing, context.limits.connectSeconds, context.limits.silenceSeconds);
  outgoing.on('upgrade', (incoming: IncomingMessage, upstream: Duplex, upstreamHead: Buffer) => {
    const lines = [
      ...passable(incoming.rawHeaders),
      ['Connection', 'Upgrade'],
      ['Upgrade', incoming.headers.upgrade ?? 'websocket'],
    ];
    const text = lines.map(([name, value]) => `${name ?? ''}: ${value ?? ''}\r\n`).join('');
    socket.write(`HTTP/1.1 101 Switching Protocols\r\n${text}\r\n`, 'latin1');
    socket.write(upstreamHead);
    upstream.write(head);
    join(socket, upstream, context.limits.liveSeconds);
  });
  outgoing.on('response', (incoming) => {
    response.shouldKeepAlive = false;
    if (beginAnswer(response, incoming)) pipeline(incoming, response, () => socket.end());
    else outgoing.destroy(new Error('its answer has headers that cannot be passed on'));
  });
  outgoing.on('error', (error) => {
    if (socket.destroyed) return;
    context.onTrouble(`${to.headers['host'] ?? ''}: ${describe(to)}: ${reasonOf(error)}`);
    response.shouldKeepAlive = false;
    sendAnswer(response, statusOf(error), {});
    socket.end();
  });
  socket.on('close', () => outgoing.destroy());
  socket.on('error', () => outgoing.destroy());
  outgoing.end();
}

/**
 * Writes the head of a service's answer. False, with nothing written, when it cannot be passed on: Node's parser takes
 * bytes that its writer refuses, and a refusal half-way would leave them in the response.
 */
function beginAnswer(
  response: ServerResponse,
  { statusCode = 0, statusMessage = '', rawHeaders }: IncomingMessage,
): boolean {
  const lines = passable(rawHeaders);
  try {
    for (const [name, value] of lines) {
      http.validateHeaderName(name);
      http.validateHeaderValue(name, value);
    }
  } catch {
    return false;
  }
  if (statusCode < 200) return false;
  response.sendDate = false;
  const sound = /^[\t\u0020-\u007e\u0080-\u00ff]*$/.test(statusMessage);
  response.writeHead(statusCode, sound ? statusMessage : http.STATUS_CODES[statusCode], flat(lines));
  return true;
}

function responseOn(request: IncomingMessage, socket: Duplex): ServerResponse {
  const response = new http.ServerResponse(request);
  // Node's own server does the same; its type asks for a Socket where any duplex stream serves.
  response.assignSocket(socket as Parameters<typeof response.assignSocket>[0]);
  return response;
}

interface Opening {
  request: IncomingMessage;
  to: Forward;
  extra: Array<[string, string]>;
}

function openRequest({ request, to, extra }: Opening): ClientRequest {
  const { upstream, target, headers } = to;
  const lines: Array<[string, string]> = [
    ...Object.entries(headers),
    ...withoutUnderscores(passable(request.rawHeaders, [...forgeable, ...Object.keys(headers)])),
    ...framing(request),
    ...extra,
  ];
  return (upstream.scheme === 'https' ? https : http).request({
    host: upstream.host,
    port: upstream.port,
    method: request.method,
    path: target,
    headers: flat(lines),
    setHost: false,
    // One connection a request: a kept one may be closed by the service just as a request goes out on it.
    agent: false,
    ...(upstream.verifyAs === null ? {} : { servername: serverName(upstream.verifyAs) }),
  });
}

/** How the body is framed on the new connection. Without it Node would invent a chunked body for an empty POST. */
function framing({ headers, method = '' }: IncomingMessage): Array<[string, string]> {
  if (headers['transfer-encoding'] !== undefined) return [['Transfer-Encoding', 'chunked']];
  const bodiless = ['GET', 'HEAD', 'DELETE', 'OPTIONS'].includes(method);
  return headers['content-length'] === undefined && !bodiless ? [['Content-Length', '0']] : [];
}

/** Addresses do not go into SNI (RFC 6066 §3); Node then checks the certificate against the address it dialled. */
function serverName(verifyAs: string): string {
  return /^[\d.]+$|:/.test(verifyAs) ? '' : verifyAs;
}

function limitTime(outgoing: ClientRequest, connectSeconds: number, silenceSeconds: number): void {
  const connecting = setTimeout(() => outgoing.destroy(new Silence('no connection in time')), connectSeconds * 1000);
  outgoing.on('socket', (socket) => {
    socket.once('connect', () => clearTimeout(connecting));
  });
  outgoing.on('close', () => clearTimeout(connecting));
  outgoing.setTimeout(silenceSeconds * 1000, () => outgoing.destroy(new Silence('no answer in time')));
}

function join(a: Duplex, b: Duplex, silenceSeconds: number): void {
  for (const end of [a, b]) {
    if ('setTimeout' in end && typeof end.setTimeout === 'function')
      end.setTimeout(silenceSeconds * 1000, () => end.destroy());
  }
  pipeline(a, b, () => a.destroy());
  pipeline(b, a, () => b.destroy());
}

function statusOf(error: unknown): 502 | 504 {
  return error instanceof Silence || codeOf(error) === 'ETIMEDOUT' ? 504 : 502;
}

function describe({ upstream }: Forward): string {
  return `${upstream.scheme}://${upstream.host}:${String(upstream.port)}`;
}

function flat(lines: ReadonlyArray<readonly [string, string]>): string[] {
  return lines.flatMap(([name, value]) => [name, value]);
}
