import dgram, { type Socket } from 'node:dgram';
import { lookup } from 'node:dns/promises';
import { reasonOf } from '../adapters/trouble.ts';
import { countedAs } from '../core/networks/counted-as.ts';
import { admits } from '../core/networks/admits.ts';
import type { PlannedPort } from '../core/plan/plan.ts';

interface UdpInput {
  /** So many visitors at once; the one that was silent longest makes room. */
  most: number;
  silenceMs: () => number;
  onTrouble: (message: string) => void;
}

/** So many ports of one address, or of one IPv6 network, are visitors at the same time; a household plays with fewer. */
const mostOfOneClient = 64;

/** What is held back while the service's address is looked up. */
const mostHeld = 32;

/** One visitor, by address and port, with a socket of its own to the service. @property to where that is */
interface Visitor {
  client: string;
  to: NonNullable<PlannedPort['to']>;
  service: Socket;
  held: Buffer[] | null;
  timer: NodeJS.Timeout;
}

/** Datagrams of visitors, passed on to the service of a port, and its answers back to whom they are for. */
export class PassedDatagrams {
  private readonly visitors = new Map<string, Visitor>();
  /** By client, the one that was silent longest first. */
  private readonly byClient = new Map<string, Set<string>>();

  constructor(
    private readonly front: Socket,
    private readonly portNow: () => PlannedPort | null,
    private readonly input: UdpInput,
  ) {
    front.on('message', (bytes, { address, port }) => {
      try {
        this.take(bytes, address, port);
      } catch (error) {
        // One datagram that goes wrong in a way nobody thought of must not take the whole front down.
        this.input.onTrouble(`a datagram failed: ${reasonOf(error)}`);
      }
    });
  }

  close(): Promise<void> {
    for (const key of [...this.visitors.keys()]) this.forget(key);
    return new Promise((resolve) => this.front.close(() => resolve()));
  }

  private take(bytes: Buffer, address: string, port: number): void {
    const key = `${address} ${String(port)}`;
    const planned = this.portNow();
    if (planned === null || planned.to === null || !admits(planned.gate, address)) {
      this.forget(key);
      return;
    }
    const { to } = planned;
    const before = this.visitors.get(key);
    const isSame = before?.to.host === to.host && before.to.port === to.port;
    if (!isSame) this.forget(key);
    const visitor = before !== undefined && isSame ? before : this.welcome(key, to, { address, port });
    // The map's order is by who was heard last.
    this.visitors.delete(key);
    this.visitors.set(key, visitor);
    const own = this.of(visitor.client);
    own.delete(key);
    own.add(key);
    visitor.timer.refresh();
    if (visitor.held === null) visitor.service.send(bytes);
    else if (visitor.held.length < mostHeld) visitor.held.push(bytes);
  }

  private welcome(key: string, to: Visitor['to'], back: { address: string; port: number }): Visitor {
    const client = countedAs(back.address);
    const own = this.of(client);
    // One that comes from many of its ports makes room itself, so that it takes nobody else's place.
    const [oldest] = own.size >= mostOfOneClient ? own : this.visitors.keys();
    const isFull = own.size >= mostOfOneClient || this.visitors.size >= this.input.most;
    if (isFull && oldest !== undefined) this.forget(oldest);
    const service = dgram.createSocket({ type: to.host.includes(':') ? 'udp6' : 'udp4' });
    const timer = setTimeout(() => this.forget(key), this.input.silenceMs());
    timer.unref();
    const visitor: Visitor = { to, client, service, held: [], timer };
    const trouble = (error: unknown): void => {
      // One that had to make room meanwhile is no news.
      if (this.visitors.get(key) !== visitor) return;
      this.input.onTrouble(`its service at ${to.host} port ${String(to.port)} does not answer: ${reasonOf(error)}`);
      this.forget(key);
    };
    service.on('message', (bytes) => {
      timer.refresh();
      this.front.send(bytes, back.port, back.address);
    });
    service.on('error', trouble);
    void this.connect(visitor).catch(trouble);
    return visitor;
  }

  /** Connected, so that nobody else's datagrams are taken for the service's, and that its refusal is heard. */
  private async connect(visitor: Visitor): Promise<void> {
    const { service, to } = visitor;
    const address = to.byName ? (await lookup(to.host, { family: 4 })).address : to.host;
    await new Promise<void>((resolve, reject) => {
      // Node's types leave out that it is told what went wrong.
      const done = (error?: Error | null): void => (error ? reject(error) : resolve());
      service.connect(to.port, address, done as () => void);
    });
    for (const bytes of visitor.held ?? []) service.send(bytes);
    visitor.held = null;
  }

  private of(client: string): Set<string> {
    const found = this.byClient.get(client) ?? new Set<string>();
    this.byClient.set(client, found);
    return found;
  }

  private forget(key: string): void {
    const visitor = this.visitors.get(key);
    if (visitor === undefined) return;
    this.visitors.delete(key);
    const own = this.byClient.get(visitor.client);
    own?.delete(key);
    if (own?.size === 0) this.byClient.delete(visitor.client);
    clearTimeout(visitor.timer);
    try {
      visitor.service.close();
    } catch {
      // It is closed already.
    }
  }
}
