import http, { type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import https from 'node:https';
import type { Duplex } from 'node:stream';
import { TLSSocket, type SecureContext } from 'node:tls';
import type { Plan } from '../core/plan/plan.ts';
import { decide, prepare } from '../core/verdict/decide.ts';
import { admitsName } from '../core/verdict/steps.ts';
import type { Prepared } from '../core/verdict/verdict.ts';
import { reasonOf, Trouble, codeOf } from '../adapters/trouble.ts';
import { sendAnswer } from './answer.ts';
import { pendingChallenge } from './challenge.ts';
import { CertificateShelf } from './certificates.ts';
import { forward, forwardUpgrade, type ForwardContext } from './forward.ts';
import { headerLines, toVerdictRequest } from './request.ts';

export interface BuiltinInput {
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
    await front.listen(markServer, plan.front.mark.address, plan.front.mark.port);
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

function answerMark(request: IncomingMessage, response: ServerResponse, mark: string): void {
  if (request.url === '/mark') response.writeHead(200, { 'content-type': 'text/plain' }).end(mark);
  else sendAnswer(response, 404, {});
}

class Front {
  private readonly servers: Server[] = [];
  /** Connections that were upgraded: the servers no longer know of them. */
  private readonly live = new Set<Duplex>();
  private readonly shelf: CertificateShelf;

  constructor(
    private readonly prepared: Prepared,
    private readonly context: ForwardContext,
  ) {
    this.shelf = new CertificateShelf(prepared.plan.certificates);
  }

  plainServer(): Server {
    return this.equip(http.createServer(this.options()));
  }

  tlsServer(): Server {
    const server = https.createServer({
      ...this.options(),
      minVersion: 'TLSv1.2',
      ALPNProtocols: ['http/1.1'],
      // Without a default certificate a handshake that names no road ends in an alert, and nothing is shown.
      SNICallback: (name, done) => void this.choose(name, done),
    });
    // What a client broke off or what was refused is no news; without a listener Node would print it.
    server.on('tlsClientError', () => undefined);
    return this.equip(server);
  }

  async listen(server: Server, host: string, port: number): Promise<void> {
    this.servers.push(server);
    await new Promise<void>((resolve, reject) => {
      server.once('error', (cause) => reject(listenTrouble(host, port, cause)));
      server.listen({ host, port, ipv6Only: host.includes(':') }, resolve);
    });
  }

  async stop(graceMs: number): Promise<void> {
    const closed = this.servers.filter(({ listening }) => listening).map((server) => closeServer(server));
    for (const socket of this.live) socket.end();
    const late = setTimeout(() => {
      for (const server of this.servers) server.closeAllConnections();
      for (const socket of this.live) socket.destroy();
    }, graceMs);
    await Promise.all(closed);
    clearTimeout(late);
    for (const socket of this.live) socket.destroy();
  }

  /** Slow uploads are welcome, slow headers are not. */
  private options(): http.ServerOptions {
    return { requestTimeout: 0, headersTimeout: 30_000, keepAliveTimeout: 75_000 };
  }

  private equip(server: Server): Server {
    server.on('request', (request, response) => this.guarded(response, () => this.serve(request, response)));
    server.on('upgrade', (request, socket, head) =>
      this.guarded(socket, () => this.upgrade(server, request, socket, head)),
    );
    server.on('connect', (request, socket) => this.guarded(socket, () => this.refuseTunnel(request, socket)));
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
  private guarded(end: { destroy: () => unknown }, work: () => void): void {
    try {
      work();
    } catch (error) {
      this.context.onTrouble(`a request failed: ${reasonOf(error)}`);
      end.destroy();
    }
  }

  private serve(request: IncomingMessage, response: ServerResponse): void {
    const challenge = pendingChallenge(this.prepared.plan, request);
    const verdict = decide(this.prepared, { ...toVerdictRequest(request), challenge });
    switch (verdict.act) {
      case 'forward':
        forward(request, response, verdict, this.context);
        return;
      case 'answer':
        sendAnswer(response, verdict.status, verdict.headers, verdict);
        return;
      case 'close':
      case 'no-handshake':
        request.socket.destroy();
    }
  }

  /** A WebSocket for a service is passed on. Anything else is taken as the plain request that it would be without the upgrade. */
  private upgrade(server: Server, request: IncomingMessage, socket: Duplex, head: Buffer): void {
    socket.on('error', () => socket.destroy());
    const verdict = decide(this.prepared, toVerdictRequest(request));
    if (/^websocket$/i.test(request.headers.upgrade ?? '') && request.method === 'GET' && verdict.act === 'forward') {
      this.live.add(socket);
      socket.on('close', () => this.live.delete(socket));
      forwardUpgrade(request, socket, head, verdict, this.context);
      return;
    }
    // Node has stopped parsing this connection. Giving it the same request without the upgrade starts it anew.
    socket.unshift(Buffer.concat([plainHead(request), head]));
    server.emit(socket instanceof TLSSocket ? 'secureConnection' : 'connection', socket);
  }

  private refuseTunnel(request: IncomingMessage, socket: Duplex): void {
    socket.on('error', () => socket.destroy());
    const verdict = decide(this.prepared, toVerdictRequest(request));
    if (verdict.act !== 'answer') socket.destroy();
    else
      socket.end(
        `HTTP/1.1 ${String(verdict.status)} ${http.STATUS_CODES[verdict.status] ?? ''}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`,
      );
  }
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

function closeServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    server.closeIdleConnections();
  });
}

function listenTrouble(host: string, port: number, cause: unknown): Trouble {
  const remedies: Record<string, string> = {
    EACCES: 'Ports below 1024 need root, or choose others under `front.listen` in the map.',
    EADDRINUSE: `See who has it: ss -ltnp 'sport = :${String(port)}'. Stop that, or choose another port under \`front.listen\` in the map.`,
    EADDRNOTAVAIL: 'Mend `front` in the map.',
  };
  const remedy = remedies[codeOf(cause) ?? ''] ?? 'Mend `front.listen` in the map.';
  return new Trouble({
    code: 'cannot-listen',
    message: `Cannot listen on ${host} port ${String(port)}: ${reasonOf(cause)}.`,
    remedy,
    cause,
  });
}
