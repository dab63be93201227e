import http, { type IncomingMessage, type Server } from 'node:http';
import { Http2ServerResponse, type Http2Server } from 'node:http2';
import type { Server as TcpServer, Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { TLSSocket, type SecureContext, type Server as TlsServer } from 'node:tls';
import type { DevicesCheck } from '../core/gates/check.ts';
import { deviceCheckOf } from '../core/gates/devices.ts';
import type { Plan } from '../core/plan/plan.ts';
import { inNetworks } from '../core/networks/address.ts';
import { prepare } from '../core/verdict/decide.ts';
import type { Prepared } from '../core/verdict/verdict.ts';
import { reasonOf } from '../adapters/trouble.ts';
import { admitFirst } from './admit-first.ts';
import { sendAnswer, type AnyResponse } from './answer.ts';
import { CertificateShelf } from './certificates.ts';
import { mostConnections } from './descriptors.ts';
import { deviceOf, nameAskedFor } from './devices.ts';
import { Exchange } from './exchange.ts';
import { http1Server, http2Server, tlsServer } from './listeners.ts';
import { listenTrouble } from './listen-trouble.ts';
import { letBytesPass } from './memory.ts';
import { usualPatience, type Patience } from './patience.ts';
import { RawPorts } from './raw-ports.ts';
import { type AnyRequest } from './request.ts';
import { Visitors, type Visitor } from './visitors.ts';

interface BuiltinInput {
  plan: Plan;
  /** What the mark listener answers. */
  mark: string;
  onTrouble: (message: string) => void;
  patience?: Patience;
}

/** A running front. `stop` lets requests in flight end, for at most `graceMs`, then closes what is left. */
export interface BuiltinFront {
  stop: (graceMs: number) => Promise<void>;
  /**
   * Serves another plan from now on; connections, live ones and requests in flight go on. Addresses and ports that are new are listened on first, those
   * that are gone are closed then.
   *
   * @throws Trouble `cannot-listen`; the plan before goes on
   */
  takeUp: (next: Pick<BuiltinInput, 'plan' | 'mark'>) => Promise<void>;
}

/**
 * Serves a plan with Node: each request gets its verdict, and the verdict is carried out.
 *
 * @throws Trouble `cannot-listen` when an address or port cannot be had; nothing is left listening then
 */
export async function startBuiltin({
  plan,
  mark,
  onTrouble,
  patience = usualPatience,
}: BuiltinInput): Promise<BuiltinFront> {
  letBytesPass();
  const front = new Front(prepare(plan), mark, { onTrouble, patience });
  try {
    await front.listenFor(plan);
  } catch (error) {
    await front.stop(0);
    throw error;
  }
  return {
    stop: (graceMs) => front.stop(graceMs),
    takeUp: async (next) => {
      await front.listenFor(next.plan);
      front.turnTo(prepare(next.plan), next.mark);
    },
  };
}

/** So long after another plan was taken up the one before is let go. */
const letGoMs = 60_000;

/** Listens, knows each visitor's connection, and hands what is asked on it to the exchange. */
class Front {
  /** By address, port and what it speaks. */
  private readonly servers = new Map<string, TcpServer>();
  private readonly visitors: Visitors;
  private exchange: Exchange;
  /** Those of plans before, in which requests may still be under way. */
  private readonly earlier = new Set<Exchange>();
  private shelf: CertificateShelf;
  private readonly http2: Http2Server;
  /** Whose connection a request came on, by what Node knows of it: a TCP or TLS connection, or a session of HTTP/2. */
  private readonly visitorOf = new WeakMap<object, Visitor>();
  /** TLS connections during their handshake, by the port they came from. */
  private readonly shaking = new Map<string, Visitor>();
  private readonly onTrouble: (message: string) => void;
  private readonly patience: Patience;
  private readonly raw: RawPorts;

  constructor(
    private prepared: Prepared,
    private mark: string,
    { onTrouble, patience }: Pick<Required<BuiltinInput>, 'onTrouble' | 'patience'>,
  ) {
    const { plan } = prepared;
    this.onTrouble = onTrouble;
    this.patience = patience;
    this.visitors = new Visitors({
      ...patience,
      liveSeconds: plan.limits.liveSeconds,
      most: mostConnections(),
      isShared: (address) => inNetworks(address, this.prepared.plan.front.edge?.networks ?? []),
    });
    this.shelf = new CertificateShelf(plan.certificates);
    this.exchange = new Exchange(prepared, this.visitors, { onTrouble, patience });
    this.raw = new RawPorts({
      contextFor: (certificate) => this.shelf.contextFor(certificate),
      onTrouble,
      handshakeMs: patience.headMs,
    });
    this.http2 = this.equip(http2Server(), ({ stream: { session } }) => session);
  }

  /** Listens where a plan wants it and nothing does yet, and closes what it does not want any more. */
  async listenFor(plan: Plan): Promise<void> {
    const { listen, mark } = plan.front;
    const wanted = new Set<string>();
    const fresh: string[] = [];
    const want = async (key: string, host: string, port: number, make: () => TcpServer): Promise<void> => {
      const name = `${key} ${host} ${String(port)}`;
      wanted.add(name);
      if (this.servers.has(name)) return;
      fresh.push(name);
      await this.listen(name, make(), { host, port, key });
    };
    try {
      await want('front.mark', mark.address, mark.port, () => this.markServer());
      for (const address of listen.addresses) {
        const plain = this.plainServer();
        await want('front.listen', address, listen.http, () => plain);
        await want('front.listen', address, listen.https, () => this.secureServer(plain));
      }
      await this.raw.listenFor(plan);
    } catch (error) {
      for (const name of fresh) this.close(name);
      throw error;
    }
    for (const name of this.servers.keys()) if (!wanted.has(name)) this.close(name);
  }

  turnTo(prepared: Prepared, mark: string): void {
    const { onTrouble, patience } = this;
    const before = this.exchange;
    this.earlier.add(before);
    const letGo = async (): Promise<void> => {
      if (await before.retire()) setTimeout(() => void letGo(), letGoMs).unref();
      else this.earlier.delete(before);
    };
    // A request that has just begun may still be at a gate.
    setTimeout(() => void letGo(), letGoMs).unref();
    this.prepared = prepared;
    this.mark = mark;
    this.shelf = new CertificateShelf(prepared.plan.certificates);
    this.exchange = new Exchange(prepared, this.visitors, { onTrouble, patience });
  }

  private markServer(): Server {
    return http.createServer((request, response) => {
      if (request.url === '/mark') response.writeHead(200, { 'content-type': 'text/plain' }).end(this.mark);
      else sendAnswer(response, 404, {});
    });
  }

  private close(name: string): void {
    this.servers.get(name)?.close();
    this.servers.delete(name);
  }

  private plainServer(): Server {
    const server = this.equip(http1Server(this.patience), ({ socket }) => socket);
    admitFirst(server, (socket) => {
      if (socket instanceof TLSSocket) return true;
      const visitor = this.visitors.admit(socket, false);
      if (visitor !== null) this.visitorOf.set(socket, visitor);
      return visitor !== null;
    });
    server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) =>
      this.withVisitor(socket, (visitor) => this.exchange.upgrade({ request, socket, head, visitor })),
    );
    server.on('clientError', (error, socket) =>
      this.withVisitor(socket, (visitor) => this.exchange.refuse({ error, socket, visitor })),
    );
    return server;
  }

  /** @param plain the server of HTTP/1 on the same address */
  private secureServer(plain: Server): TcpServer {
    const [server, asking] = [false, true].map((asks) =>
      tlsServer(
        (name, done) => void this.choose(name, asks, done),
        (socket) => this.onSecure(socket, plain, asks),
        this.patience,
        asks,
      ),
    ) as [TlsServer, TlsServer];
    const admit = (socket: Socket): boolean => {
      const visitor = this.visitors.admit(socket, true);
      if (visitor === null) return false;
      const key = endOf(socket);
      this.shaking.set(key, visitor);
      socket.once('close', () => this.shaking.delete(key));
      return true;
    };
    // Node asks for certificates on all names of a server or on none: those that do have one of their own, chosen by what the handshake begins with.
    const chosenBy = async (socket: Socket): Promise<TcpServer | null> => {
      const name = await nameAskedFor(socket);
      return name !== null && this.checkFor(name) !== null ? asking : null;
    };
    admitFirst(server, admit, (socket) => (this.prepared.asksDevices ? chosenBy(socket) : null));
    return server;
  }

  /** The check for which a name asks for the certificate of a device; null where it asks for none. */
  private checkFor(sni: string): DevicesCheck | null {
    const road = this.prepared.roadOf(this.prepared.shownTo(sni).name);
    return road === null ? null : deviceCheckOf(road.gate);
  }

  private async listen(
    name: string,
    server: TcpServer,
    at: { host: string; port: number; key: string },
  ): Promise<void> {
    const { host, port } = at;
    this.servers.set(name, server);
    await new Promise<void>((resolve, reject) => {
      server.once('error', (cause) => reject(listenTrouble({ ...at, protocol: 'tcp' }, cause)));
      server.listen({ host, port, ipv6Only: host.includes(':') }, resolve);
    });
  }

  async stop(graceMs: number): Promise<void> {
    const exchanges = [...this.earlier, this.exchange];
    const closed = [...this.servers.values()]
      .filter(({ listening }) => listening)
      .map((server) => new Promise<void>((resolve) => server.close(() => resolve())));
    for (const exchange of exchanges) exchange.endLive();
    closed.push(this.raw.stop(graceMs));
    this.visitors.endWhenIdle();
    const late = setTimeout(() => this.visitors.endAll(), graceMs);
    await Promise.all(closed);
    clearTimeout(late);
    this.visitors.stop();
    await Promise.all(exchanges.map((exchange) => exchange.stop()));
  }

  private onSecure(socket: TLSSocket, plain: Server, asks: boolean): void {
    const key = endOf(socket);
    const visitor = this.shaking.get(key);
    this.shaking.delete(key);
    // It has gone in the meantime.
    if (visitor === undefined) {
      socket.destroy();
      return;
    }
    visitor.sni = typeof socket.servername === 'string' ? socket.servername : null;
    if (asks) visitor.device = deviceOf(socket);
    this.visitorOf.set(socket, visitor);
    socket.once('close', () => visitor.socket.destroy());
    if (socket.alpnProtocol !== 'h2') {
      plain.emit('connection', socket);
      return;
    }
    this.http2.once('session', (session) => {
      this.visitorOf.set(session, visitor);
      visitor.farewell = () => session.destroy();
      // A session that a bad frame ends may leave its streams, and with them the connection, open for good.
      for (const event of ['close', 'error', 'frameError'] as const)
        session.on(event, () => setImmediate(() => visitor.socket.destroy()));
    });
    this.http2.emit('connection', socket);
  }

  private equip<S extends Server | Http2Server>(server: S, connectionOf: (request: never) => object | undefined): S {
    // Node would say "go on" to every upload that asks (RFC 9110 §10.1.1), also to one that is about to be refused. A tunnel over HTTP/2 would be one
    // stream of many, with an answer like any other (RFC 9113 §8.5).
    for (const event of ['request', 'checkContinue', 'connect'] as const)
      server.on(event, (request: AnyRequest, end: AnyResponse | Duplex, head: Buffer) => {
        if (end instanceof http.ServerResponse || end instanceof Http2ServerResponse)
          this.withVisitor(connectionOf(request as never) ?? {}, (visitor) =>
            this.exchange.serve({ request, response: end, visitor }),
          );
        else
          this.withVisitor(end, (visitor) =>
            this.exchange.upgrade({ request: request as IncomingMessage, socket: end, head, visitor }),
          );
      });
    return server;
  }

  /** One request that goes wrong in a way nobody thought of must not take the whole front down. */
  private withVisitor(connection: object, work: (visitor: Visitor) => void | Promise<void>): void {
    const visitor = this.visitorOf.get(connection);
    if (visitor === undefined) {
      if ('destroy' in connection && typeof connection.destroy === 'function') connection.destroy();
      return;
    }
    const failed = (error: unknown): void => {
      this.onTrouble(`a request failed: ${reasonOf(error)}`);
      visitor.leave();
    };
    try {
      work(visitor)?.catch(failed);
    } catch (error) {
      failed(error);
    }
  }

  private async choose(
    name: string,
    asks: boolean,
    done: (error: Error | null, context?: SecureContext) => void,
  ): Promise<void> {
    const { name: asked, certificate, admitted } = this.prepared.shownTo(name);
    if (certificate === null || !admitted) {
      done(null);
      return;
    }
    try {
      done(null, await this.shelf.contextFor(certificate, asks ? this.checkFor(name) : null));
    } catch (error) {
      this.onTrouble(`${asked}: its certificate cannot be used: ${reasonOf(error)}`);
      done(null);
    }
  }
}

/** The other end of a connection, which TLS keeps. */
function endOf({ remoteAddress, remotePort, localAddress }: Socket): string {
  return `${String(remoteAddress)} ${String(remotePort)} ${String(localAddress)}`;
}
