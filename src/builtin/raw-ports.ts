import dgram from 'node:dgram';
import net, { type Server, type Socket } from 'node:net';
import { TLSSocket, type SecureContext } from 'node:tls';
import type { Plan, PlannedPort } from '../core/plan/plan.ts';
import { reasonOf } from '../adapters/trouble.ts';
import { mostConnections } from './descriptors.ts';
import { listenTrouble } from './listen-trouble.ts';
import { PassedDatagrams } from './raw-udp.ts';
import { passOn } from './raw-tcp.ts';

export interface RawInput {
  contextFor: (certificate: string) => Promise<SecureContext>;
  onTrouble: (message: string) => void;
  handshakeMs: number;
}

/** The same port is not told of again for so long. */
const quietMs = 60_000;

interface Listening {
  close: () => Promise<void>;
}

/** The raw ports of a plan: TCP and UDP, passed on to their services. Who may is looked up at each connection, so that another plan counts at once. */
export class RawPorts {
  /** By name of the port and address. */
  private readonly listening = new Map<string, Listening>();
  private ports = new Map<string, PlannedPort>();
  private limits: Plan['limits'] | null = null;
  private readonly open = new Set<Socket>();
  private readonly told = new Map<string, number>();
  /** Connections of all ports, and visitors of each that speaks UDP: a part of what there is, so that they never take the web's. */
  private readonly most = Math.max(16, Math.floor(mostConnections() / 4));

  constructor(private readonly input: RawInput) {}

  /** Whoever connects again and again does not fill the journal. */
  private tell(name: string, words: string): void {
    const now = performance.now();
    if (now - (this.told.get(name) ?? -Infinity) < quietMs) return;
    this.told.set(name, now);
    this.input.onTrouble(`${name}: ${words}`);
  }

  /** Listens on what a plan wants and nothing does yet, and closes what it does not want any more. @throws Trouble `cannot-listen` */
  async listenFor({ front, ports, limits }: Pick<Plan, 'front' | 'ports' | 'limits'>): Promise<void> {
    const wanted = ports.flatMap((port) =>
      front.listen.addresses.map((address) => ({ key: `${port.name} ${address}`, port, address })),
    );
    const fresh = wanted.filter(({ key, port }) => port.to !== null && !this.listening.has(key));
    try {
      for (const { key, port, address } of fresh) this.listening.set(key, await this.listen(port, address));
    } catch (error) {
      for (const { key } of fresh) this.close(key);
      throw error;
    }
    this.ports = new Map(ports.map((port) => [port.name, port]));
    this.limits = limits;
    const kept = new Set(wanted.flatMap(({ key, port }) => (port.to === null ? [] : [key])));
    for (const key of this.listening.keys()) if (!kept.has(key)) this.close(key);
  }

  /** Listens no more, and ends what is open after so long. */
  async stop(graceMs: number): Promise<void> {
    const closed = [...this.listening.values()].map(({ close }) => close());
    const endAll = (): void => {
      for (const socket of this.open) socket.destroy();
    };
    const late = setTimeout(endAll, graceMs);
    await Promise.all(closed);
    clearTimeout(late);
    // Those of ports that were taken off the map before.
    endAll();
  }

  private close(key: string): void {
    void this.listening.get(key)?.close();
    this.listening.delete(key);
  }

  private listen(port: PlannedPort, address: string): Promise<Listening> {
    return port.protocol === 'tcp' ? this.tcp(port, address) : this.udp(port, address);
  }

  private async tcp({ name, port }: PlannedPort, host: string): Promise<Listening> {
    // What one side has said to its end the other may still answer.
    const server: Server = net.createServer({ allowHalfOpen: true, noDelay: true, keepAlive: true }, (socket) =>
      this.onConnection(name, socket),
    );
    await new Promise<void>((resolve, reject) => {
      server.once('error', (cause) =>
        reject(listenTrouble({ host, port, protocol: 'tcp', key: `ports.${name}` }, cause)),
      );
      server.listen({ host, port, ipv6Only: host.includes(':') }, resolve);
    });
    server.on('error', () => undefined);
    return { close: () => new Promise((resolve) => void server.close(() => resolve())) };
  }

  private onConnection(name: string, socket: Socket): void {
    const port = this.ports.get(name);
    if (port === undefined || this.limits === null || this.open.size >= this.most) {
      socket.destroy();
      return;
    }
    this.open.add(socket);
    socket.once('close', () => this.open.delete(socket));
    try {
      passOn(socket, port, {
        limits: this.limits,
        secure: (plain) => this.secure(plain, port),
        onTrouble: (words) => this.tell(name, words),
      });
    } catch (error) {
      // One connection that goes wrong in a way nobody thought of must not take the whole front down.
      this.tell(name, `a connection failed: ${reasonOf(error)}`);
      socket.destroy();
    }
  }

  /** TLS ends here; one certificate, whatever name is asked for. */
  private async secure(plain: Socket, { name, tls }: PlannedPort): Promise<TLSSocket> {
    const secureContext = await this.input.contextFor(tls?.certificate ?? '').catch((error: unknown) => {
      this.tell(name, `its certificate cannot be used: ${reasonOf(error)}`);
      throw error;
    });
    const socket = new TLSSocket(plain, { isServer: true, secureContext });
    const late = setTimeout(() => plain.destroy(), this.input.handshakeMs);
    plain.once('close', () => clearTimeout(late));
    return new Promise((resolve, reject) => {
      socket.once('secure', () => {
        clearTimeout(late);
        resolve(socket);
      });
      socket.on('error', reject);
      socket.once('close', () => reject(new Error('it was closed')));
    });
  }

  private async udp({ name, port }: PlannedPort, host: string): Promise<Listening> {
    const socket = dgram.createSocket(host.includes(':') ? { type: 'udp6', ipv6Only: true } : { type: 'udp4' });
    const passed = new PassedDatagrams(socket, () => this.ports.get(name) ?? null, {
      most: this.most,
      silenceMs: () => (this.limits?.silenceSeconds ?? 60) * 1000,
      onTrouble: (words) => this.tell(name, words),
    });
    await new Promise<void>((resolve, reject) => {
      socket.once('error', (cause) =>
        reject(listenTrouble({ host, port, protocol: 'udp', key: `ports.${name}` }, cause)),
      );
      socket.bind(port, host, resolve);
    });
    socket.on('error', () => undefined);
    return { close: () => passed.close() };
  }
}
