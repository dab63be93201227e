import { createHash, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import http, { type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http';
import { Http2ServerRequest } from 'node:http2';
import https from 'node:https';
import type { Duplex } from 'node:stream';
import { pipeline } from 'node:stream';
import tls from 'node:tls';
import type { Plan } from '../core/plan/plan.ts';
import { longestAnswerHeadBytes, slowBodySeconds } from '../core/proxies/hardening.ts';
import { ownHeaders } from '../core/verdict/answer-rules.ts';
import { forgeable, type Act, type AnswerRules } from '../core/verdict/verdict.ts';
import { codeOf, reasonOf } from '../adapters/trouble.ts';
import { sendAnswer, writeHead, type AnyResponse } from './answer.ts';
import { passable, withOneCookie, withoutUnderscores, type AnyRequest } from './request.ts';

export type Forward = Extract<Act, { act: 'forward' }>;

export interface ForwardContext {
  limits: Plan['limits'];
  /** Told when a service cannot be reached, in words for the administrator, never for the visitor. */
  onTrouble: (message: string) => void;
}

/** A service that let a time limit pass. */
class Silence extends Error {}

/** Passes a request to its service and the answer back, both as they come. 502 when it refuses, 504 when it is silent. */
export function forward(request: AnyRequest, response: AnyResponse, to: Forward, context: ForwardContext): void {
  const outgoing = tryOpen({ request, to, extra: [] }, context);
  if (outgoing === null) {
    sendAnswer(response, 502, ownHeaders(to.answer, {}));
    return;
  }
  limitTime(outgoing, context.limits.connectSeconds, to.silenceSeconds);
  const safely = safe(context, () => response.destroy());
  outgoing.on(
    'response',
    safely((incoming: IncomingMessage) => {
      if (!beginAnswer(response, incoming, to.answer)) {
        outgoing.destroy(new Error('its answer has headers that cannot be passed on'));
        return;
      }
      if ('flushHeaders' in response) response.flushHeaders();
      // From here on a pause may be the visitor's (a player that waits), so it is borne as long as on a live connection.
      outgoing.setTimeout(context.limits.liveSeconds * 1000);
      // A service that breaks off must not look finished: the visitor's connection is cut as well.
      pipeline(incoming, response, (error) => {
        if (error) response.destroy();
      });
    }),
  );
  outgoing.on(
    'error',
    safely((error: Error) => {
      // Once the answer has begun, its own stream says whether it is whole.
      if (response.destroyed || response.headersSent) return;
      context.onTrouble(`${to.headers['host'] ?? ''}: ${describe(to)}: ${reasonOf(error)}`);
      sendAnswer(response, statusOf(error), ownHeaders(to.answer, {}));
    }),
  );
  response.on('close', () => outgoing.destroy());
  if (to.bodyLimitBytes !== null) limitBody(request, response, to.bodyLimitBytes, to);
  watchBody(request);
  // Not `pipeline`: it would cut the visitor's connection when the service fails, and no 502 could be said.
  request.pipe(outgoing);
}

/** What a service brings about happens outside any request's own code: an error there would end the whole front. */
function safe({ onTrouble }: ForwardContext, end: () => void) {
  return <Given extends unknown[]>(work: (...given: Given) => void) =>
    (...given: Given): void => {
      try {
        work(...given);
      } catch (error) {
        onTrouble(`a request failed: ${reasonOf(error)}`);
        end();
      }
    };
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
  const outgoing = tryOpen(
    {
      request,
      to,
      extra: [
        ['Connection', 'Upgrade'],
        ['Upgrade', 'websocket'],
      ],
    },
    context,
  );
  if (outgoing === null) {
    response.shouldKeepAlive = false;
    sendAnswer(response, 502, ownHeaders(to.answer, {}));
    socket.end();
    return;
  }
  limitTime(outgoing, context.limits.connectSeconds, to.silenceSeconds);
  const safely = safe(context, () => socket.destroy());
  outgoing.on(
    'upgrade',
    safely((incoming: IncomingMessage, upstream: Duplex, upstreamHead: Buffer) => {
      const lines = [
        ...dressed(incoming, to.answer),
        ['Connection', 'Upgrade'],
        ['Upgrade', incoming.headers.upgrade ?? 'websocket'],
      ];
      const text = lines.map(([name, value]) => `${name ?? ''}: ${value ?? ''}\r\n`).join('');
      socket.write(`HTTP/1.1 101 Switching Protocols\r\n${text}\r\n`, 'latin1');
      socket.write(upstreamHead);
      upstream.write(head);
      // A road that waits longer for answers waits as long here.
      join(socket, upstream, Math.max(context.limits.liveSeconds, to.silenceSeconds));
    }),
  );
  outgoing.on(
    'response',
    safely((incoming: IncomingMessage) => {
      response.shouldKeepAlive = false;
      if (beginAnswer(response, incoming, to.answer)) pipeline(incoming, response, () => socket.end());
      else outgoing.destroy(new Error('its answer has headers that cannot be passed on'));
    }),
  );
  outgoing.on(
    'error',
    safely((error: Error) => {
      if (socket.destroyed) return;
      context.onTrouble(`${to.headers['host'] ?? ''}: ${describe(to)}: ${reasonOf(error)}`);
      response.shouldKeepAlive = false;
      sendAnswer(response, statusOf(error), ownHeaders(to.answer, {}));
      socket.end();
    }),
  );
  socket.on('close', () => outgoing.destroy());
  socket.on('error', () => outgoing.destroy());
  outgoing.end();
}

/**
 * Writes the head of a service's answer. False, with nothing written, when it cannot be passed on: Node's parser takes
 * bytes that its writer refuses, and a refusal half-way would leave them in the response.
 */
function beginAnswer(response: AnyResponse, incoming: IncomingMessage, rules: AnswerRules): boolean {
  const { statusCode = 0, statusMessage = '' } = incoming;
  const lines = dressed(incoming, rules);
  try {
    for (const [name, value] of lines) {
      http.validateHeaderName(name);
      http.validateHeaderValue(name, value);
    }
    // HTTP/2 knows no others (RFC 9113 §8.3.2, RFC 9110 §15).
    if (statusCode < 200 || statusCode > 599) return false;
    response.sendDate = false;
    const sound = /^[\t\u0020-\u007e\u0080-\u00ff]*$/.test(statusMessage);
    writeHead(response, statusCode, lines, sound ? statusMessage : undefined);
    return true;
  } catch {
    return false;
  }
}

/** A service's header lines, with what the road's rules take away, set, and add where nothing is said. */
function dressed({ rawHeaders }: IncomingMessage, { drop, set, defaults }: AnswerRules): Array<[string, string]> {
  const lines = passable(rawHeaders, drop);
  const said = new Set(lines.map(([name]) => name.toLowerCase()));
  return [...lines, ...set, ...defaults.filter(([name]) => !said.has(name.toLowerCase()))];
}

/** A body that announces no length is cut off where it grows too long. */
function limitBody(request: AnyRequest, response: AnyResponse, most: number, { answer }: Forward): void {
  let length = 0;
  const count = (chunk: Buffer): void => {
    length += chunk.length;
    if (length <= most) return;
    request.off('data', count);
    request.unpipe();
    sendAnswer(response, 413, ownHeaders(answer, { connection: 'close' }));
  };
  request.on('data', count);
}

/**
 * A visitor who stops in the middle of a body must not hold the service's connection for ever. While it is the service that does not
 * take more, nobody is to blame.
 */
function watchBody(request: AnyRequest): void {
  const patience = setTimeout(() => {
    if (request.isPaused()) patience.refresh();
    else request.destroy();
  }, slowBodySeconds * 1000);
  request.on('data', () => patience.refresh());
  for (const event of ['end', 'close']) request.on(event, () => clearTimeout(patience));
}

function responseOn(request: IncomingMessage, socket: Duplex): ServerResponse {
  const response = new http.ServerResponse(request);
  // Node's own server does the same; its type asks for a Socket where any duplex stream serves.
  response.assignSocket(socket as Parameters<typeof response.assignSocket>[0]);
  return response;
}

interface Opening {
  request: AnyRequest;
  to: Forward;
  extra: Array<[string, string]>;
}

/** Null when what the service must be proven by cannot be read; the administrator is told. */
function tryOpen(opening: Opening, { onTrouble }: ForwardContext): ClientRequest | null {
  try {
    return openRequest(opening);
  } catch (error) {
    onTrouble(`${opening.to.headers['host'] ?? ''}: ${describe(opening.to)}: ${reasonOf(error)}`);
    return null;
  }
}

function openRequest({ request, to, extra }: Opening): ClientRequest {
  const { upstream, target, headers } = to;
  const lines: Array<[string, string]> = [
    ...Object.entries(headers),
    ...withOneCookie(
      withoutUnderscores(passable(request.rawHeaders, [...forgeable, ...Object.keys(headers), ...to.without])),
    ),
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
    maxHeaderSize: longestAnswerHeadBytes,
    // One connection a request: a kept one may be closed by the service just as a request goes out on it.
    agent: false,
    ...(upstream.scheme === 'https' ? proofOf(upstream) : {}),
  });
}

/** How the body is framed on the new connection. Without it Node would invent a chunked body for an empty POST. */
function framing(request: AnyRequest): Array<[string, string]> {
  const { headers, method = '' } = request;
  if (headers['transfer-encoding'] !== undefined) return [['Transfer-Encoding', 'chunked']];
  // HTTP/2 ends a body by a flag. On HTTP/1 a body without a length that is not chunked would be read as the next request.
  const open = request instanceof Http2ServerRequest && !request.stream.endAfterHeaders;
  if (open && headers['content-length'] === undefined) return [['Transfer-Encoding', 'chunked']];
  const bodiless = ['GET', 'HEAD', 'DELETE', 'OPTIONS'].includes(method);
  return headers['content-length'] === undefined && !bodiless ? [['Content-Length', '0']] : [];
}

/** How the service must prove who it is. */
function proofOf({ verifyAs, trust }: Forward['upstream']): https.RequestOptions {
  const servername = serverName(verifyAs ?? '');
  switch (trust.kind) {
    case 'system':
      return { servername };
    case 'ca':
      // An address is not sent as a name, and still is what the certificate must carry.
      return { servername, ca: readFileSync(trust.file) };
    case 'none':
      return { servername, rejectUnauthorized: false };
    case 'pin':
      return { servername, rejectUnauthorized: false, ...pinned(trust.digest) };
  }
}

/** RFC 7469 §2.4: SHA-256 of the public key. Looked at before a byte is sent. */
function pinned(digest: string): https.RequestOptions {
  return {
    // An agent, even none, would make the connection itself.
    agent: undefined,
    createConnection: (options: tls.ConnectionOptions) => {
      const socket = tls.connect(options);
      socket.prependOnceListener('secureConnect', () => {
        const { publicKey } = new X509Certificate(socket.getPeerCertificate().raw);
        const found = createHash('sha256')
          .update(publicKey.export({ type: 'spki', format: 'der' }))
          .digest('base64');
        if (found !== digest)
          socket.destroy(new Error(`the digest of its key is ${found}, which is not the pinned one`));
      });
      return socket;
    },
  } as https.RequestOptions;
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
