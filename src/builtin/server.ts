import http, { type IncomingMessage, type Server } from 'node:http';
import http2, { Http2ServerResponse, type Http2SecureServer, type ServerHttp2Session } from 'node:http2';
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { TLSSocket, type SecureContext } from 'node:tls';
import type { Plan } from '../core/plan/plan.ts';
import { longestHeadBytes, modernSuites, slowHeadSeconds } from '../core/proxies/hardening.ts';
import { prepare } from '../core/verdict/decide.ts';
import { authorityOn } from '../core/verdict/forwarded.ts';
import { admitsName } from '../core/verdict/steps/before-road.ts';
import type { Prepared, Verdict } from '../core/verdict/verdict.ts';
import { reasonOf, Trouble, codeOf } from '../adapters/trouble.ts';
import { sendAnswer, type AnyResponse } from './answer.ts';
import { pendingChallenge } from './challenge.ts';
import { CertificateShelf } from './certificates.ts';
import { showFile } from './folder.ts';
import { forward, forwardUpgrade, type ForwardContext } from './forward.ts';
import { Judge, type Read } from './judge.ts';
import { AccessLog } from './log.ts';
import { headerLines, type AnyRequest } from './request.ts';

interface BuiltinInput {
  plan: Plan;
  /** What the mark listener answers. */
  mark: string;
  onTrouble: (message: string) => void;
}

/** A running front. `stop` lets requests in flight end, for at most `graceMs`, then closes what is left. */
export interface BuiltinFront {
  stop: (graceMs: number) => Promise<void>;
}

/**
 * Serves a plan with Node: each request gets its verdict, and the verdict is carried out.
 *
 * @throws Trouble `cannot-listen` when an address or port cannot be had; nothing is left listening then
 */
export async function startBuiltin({ plan, mark, onTrouble }: BuiltinInput): Promise<BuiltinFront> {
  const front = new Front(prepare(plan), { limits: plan.limits, onTrouble });
  const { addresses, http: httpPort, https: httpsPort } = plan.front.listen;
  const markServer = http.createServer((request, response) => answerMark(request, response, mark));
  try {
    await front.listen(markServer, plan.front.mark.address, plan.front.mark.port, 'front.mark');
    for (const address of addresses) {
      await front.listen(front.plainServer(), address, httpPort);
      await front.listen(front.tlsServer(), address, httpsPort);
    }
  } catch (error) {
    await front.stop(0);
    throw error;
  }
  return { stop: (graceMs) => front.stop(graceMs) };
}

function answerMark(request: IncomingMessage, response: AnyResponse, mark: string): void {
  if (request.url === '/mark') response.writeHead(200, { 'content-type': 'text/plain' }).end(mark);
  else sendAnswer(response, 404, {});
}

/** How long a connection without a request is kept. */
const idleMs = 75_000;

/** OpenSSL's names; all of them have forward secrecy (RFC 8446 §B.4). */
const tls13Suites = ['TLS_AES_128_GCM_SHA256', 'TLS_AES_256_GCM_SHA384', 'TLS_CHACHA20_POLY1305_SHA256'];

class Front {
  private readonly servers: Array<Server | Http2SecureServer> = [];
  /** Every connection, since a server of both protocols does not know which are idle. */
  private readonly sockets = new Set<Socket>();
  private readonly sessions = new Set<ServerHttp2Session>();
  private readonly judge: Judge;
  private readonly accessLog: AccessLog;
  /** Connections that were upgraded: the servers no longer know of them. */
  private readonly live = new Set<Duplex>();
  private readonly shelf: CertificateShelf;

  constructor(
    private readonly prepared: Prepared,
    private readonly context: ForwardContext,
  ) {
    this.shelf = new CertificateShelf(prepared.plan.certificates);
    this.judge = new Judge(prepared, context.onTrouble);
    this.accessLog = new AccessLog(context.onTrouble);
  }

  plainServer(): Server {
    return this.equip(http.createServer(this.options()));
  }

  tlsServer(): Http2SecureServer {
    const server = http2.createSecureServer({
      ...this.options(),
      minVersion: 'TLSv1.2',
      ciphers: [...tls13Suites, ...modernSuites].join(':'),
      allowHTTP1: true,
      handshakeTimeout: slowHeadSeconds * 1000,
      settings: { maxConcurrentStreams: 128, maxHeaderListSize: longestHeadBytes },
      // Without a default certificate a handshake that names no road ends in an alert, and nothing is shown.
      SNICallback: (name, done) => void this.choose(name, done),
    });
    // What a client broke off or what was refused is no news; without a listener Node would print it.
    server.on('tlsClientError', () => undefined);
    // An idle connection of HTTP/2 ends when its last stream has; requests on it go on.
    server.on('session', (session) => {
      this.sessions.add(session);
      session.on('close', () => this.sessions.delete(session));
      session.setTimeout(idleMs, () => session.close());
    });
    server.on('sessionError', () => undefined);
    return this.equip(server);
  }

  async listen(server: Server | Http2SecureServer, host: string, port: number, key = 'front.listen'): Promise<void> {
    this.servers.push(server);
    await new Promise<void>((resolve, reject) => {
      server.once('error', (cause) => reject(listenTrouble({ host, port, key }, cause)));
      server.listen({ host, port, ipv6Only: host.includes(':') }, resolve);
    });
  }

  async stop(graceMs: number): Promise<void> {
    const closed = this.servers.filter(({ listening }) => listening).map((server) => closeServer(server));
    for (const socket of this.live) socket.end();
    for (const session of this.sessions) session.close();
    const late = setTimeout(() => {
      for (const socket of this.sockets) socket.destroy();
    }, graceMs);
    await Promise.all(closed);
    clearTimeout(late);
    await this.judge.stop();
    for (const socket of this.live) socket.destroy();
    await this.accessLog.stop();
  }

  /** Slow uploads are welcome, slow headers are not. */
  private options(): http.ServerOptions {
    return {
      requestTimeout: 0,
      headersTimeout: slowHeadSeconds * 1000,
      keepAliveTimeout: idleMs,
      maxHeaderSize: longestHeadBytes,
    };
  }

  private equip<S extends Server | Http2SecureServer>(server: S): S {
    server.on('connection', (socket: Socket) => {
      this.sockets.add(socket);
      socket.on('close', () => this.sockets.delete(socket));
    });
    // Node would say "go on" to every upload that asks (RFC 9110 §10.1.1), also to one that is about to be refused.
    for (const event of ['request', 'checkContinue'] as const)
      server.on(event, (request: AnyRequest, response: AnyResponse) =>
        this.guarded(response, () => this.serve(request, response)),
      );
    server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) =>
      this.guarded(socket, () => this.upgrade(server, request, socket, head)),
    );
    // Over HTTP/2 a tunnel would be one stream of many, with an answer like any other (RFC 9113 §8.5).
    server.on('connect', (request: AnyRequest, end: Duplex | Http2ServerResponse) =>
      this.guarded(end, () =>
        end instanceof Http2ServerResponse ? this.serve(request, end) : this.refuseTunnel(request, end),
      ),
    );
    return server;
  }

  private async choose(name: string, done: (error: Error | null, context?: SecureContext) => void): Promise<void> {
    const sni = name.toLowerCase().replace(/\.$/, '');
    const id = this.prepared.certificateFor(sni);
    if (id === null || !admitsName(this.prepared, sni)) {
      done(null);
      return;
    }
    try {
      done(null, await this.shelf.contextFor(id));
    } catch (error) {
      this.context.onTrouble(`${sni}: its certificate cannot be used: ${reasonOf(error)}`);
      done(null);
    }
  }

  /** One request that goes wrong in a way nobody thought of must not take the whole front down. */
  private guarded(end: { destroy: () => unknown }, work: () => Promise<void>): void {
    work().catch((error: unknown) => {
      this.context.onTrouble(`a request failed: ${reasonOf(error)}`);
      end.destroy();
    });
  }

  private async serve(request: AnyRequest, response: AnyResponse): Promise<void> {
    const read = this.judge.read(request);
    const { road, client } = read.context;
    const log = road?.rules.log ?? null;
    if (typeof log === 'string') this.accessLog.note(log, { request, response, client, now: new Date() });
    const challenge = pendingChallenge(this.prepared.plan, request);
    const verdict = await this.judge.decide(read, challenge);
    if (response.destroyed) return;
    switch (verdict.act) {
      case 'forward':
        if (asksToGoOn(request)) response.writeContinue();
        forward(request, response, verdict, this.context);
        return;
      case 'answer':
        sendAnswer(response, verdict.status, { ...verdict.headers, ...endOf(request) }, verdict);
        return;
      case 'folder':
        if (asksToGoOn(request)) response.writeContinue();
        await showFile(request, response, verdict, this.originOf(read));
        return;
      case 'close':
      case 'no-handshake':
        request.socket.destroy();
    }
  }

  /** Scheme, name and port as the visitor sees them. */
  private originOf({ asked: { listener }, context: { road } }: Read): string {
    return road === null ? '' : `${listener}://${authorityOn(road, listener, this.prepared.plan.front.ports)}`;
  }

  /** A WebSocket for a service is passed on. Anything else is taken as the plain request that it would be without the upgrade. */
  private async upgrade(
    server: Server | Http2SecureServer,
    request: IncomingMessage,
    socket: Duplex,
    head: Buffer,
  ): Promise<void> {
    socket.on('error', () => socket.destroy());
    const isLive = /^websocket$/i.test(request.headers.upgrade ?? '') && request.method === 'GET';
    const verdict: Verdict | null = isLive ? await this.judge.decide(this.judge.read(request), null) : null;
    if (verdict?.act === 'forward') {
      this.live.add(socket);
      socket.on('close', () => this.live.delete(socket));
      forwardUpgrade(request, socket, head, verdict, this.context);
      return;
    }
    if (verdict !== null) this.judge.giveBack(request);
    // Node has stopped parsing this connection. Giving it the same request without the upgrade starts it anew.
    socket.unshift(Buffer.concat([plainHead(request), head]));
    server.emit(socket instanceof TLSSocket ? 'secureConnection' : 'connection', socket);
  }

  private async refuseTunnel(request: AnyRequest, socket: Duplex): Promise<void> {
    socket.on('error', () => socket.destroy());
    const verdict = await this.judge.decide(this.judge.read(request), null);
    if (verdict.act !== 'answer') socket.destroy();
    else
      socket.end(
        `HTTP/1.1 ${String(verdict.status)} ${http.STATUS_CODES[verdict.status] ?? ''}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`,
      );
  }
}

function asksToGoOn({ headers }: AnyRequest): boolean {
  return /100-continue/i.test(headers.expect ?? '');
}

/** Whether a body follows that nobody asked to go on with cannot be known, so the connection ends with the refusal. */
function endOf(request: AnyRequest): Record<string, string> {
  return asksToGoOn(request) && request.httpVersionMajor === 1 ? { connection: 'close' } : {};
}

function plainHead(request: IncomingMessage): Buffer {
  const lines = headerLines(request.rawHeaders)
    .filter(([name]) => !/^(upgrade|http2-settings)$/i.test(name))
    .map(([name, value]): [string, string] => [name, /^connection$/i.test(name) ? withoutUpgrade(value) : value])
    .map(([name, value]) => `${name}: ${value}\r\n`);
  return Buffer.from(
    `${request.method ?? ''} ${request.url ?? ''} HTTP/${request.httpVersion}\r\n${lines.join('')}\r\n`,
    'latin1',
  );
}

function withoutUpgrade(connection: string): string {
  return connection
    .split(',')
    .map((token) => token.trim())
    .filter((token) => !/^(upgrade|http2-settings)$/i.test(token))
    .join(', ');
}

function closeServer(server: Server | Http2SecureServer): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    if ('closeIdleConnections' in server) server.closeIdleConnections();
  });
}

/** @param key of the map, under which it is written */
function listenTrouble({ host, port, key }: { host: string; port: number; key: string }, cause: unknown): Trouble {
  const remedies: Record<string, string> = {
    EACCES: 'Ports below 1024 need root, or choose others in the map, under `front.listen`.',
    EADDRINUSE: `See who has it: ss -ltnp 'sport = :${String(port)}'. Stop that, or write another port in the map: \`${key}\`.`,
    EADDRNOTAVAIL: 'Fix `front` in the map.',
  };
  const remedy = remedies[codeOf(cause) ?? ''] ?? `Fix \`${key}\` in the map.`;
  return new Trouble({
    code: 'cannot-listen',
    message: `Cannot listen on ${host} port ${String(port)}: ${reasonOf(cause)}.`,
    remedy,
    cause,
  });
}
