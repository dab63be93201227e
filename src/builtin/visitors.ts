import type { Socket } from 'node:net';
import { countedAs } from '../core/networks/counted-as.ts';
import { parseAddress } from '../core/networks/address.ts';
import { noDevice, type ShownDevice } from '../core/gates/kind.ts';
import { giveBack } from './memory.ts';
import type { Patience } from './patience.ts';
import { mostOfOneClient, mostSilentOfOneClient } from '../core/front-limits.ts';

/** More connections than this at one time leave so much behind that it is worth looking for. */
const burst = 50;

/** How long a good-bye may take to be sent, in milliseconds. */
const farewellMs = 1000;

/**
 * One connection of a visitor, of whatever protocol.
 *
 * @property socket the TCP connection itself; destroying it ends whatever lies on it
 * @property sni server name of its handshake in the client's own letters, null on plain HTTP or without one
 * @property device what that handshake showed of a device
 */
export class Visitor {
  sni: string | null = null;
  device: ShownDevice = noDevice;
  /** Requests and live connections that are under way. */
  busy = 0;
  /** When it came, or last became idle. */
  since: number;
  /** It asked for something once: before that it has less time. */
  hasAsked = false;
  /** How long nothing may move while it is busy. */
  patienceMs: number;
  /** Bytes that had moved when it was last looked at, and when that changed. */
  moved = 0;
  movedAt: number;
  /** Whose it is among others; null for one that stands for many. */
  client: { silent: number } | null = null;
  /** How its protocol says good-bye, where it can (RFC 9113 §6.8). */
  farewell: (() => void) | null = null;
  private onRest: Array<() => void> = [];

  constructor(
    readonly socket: Socket,
    readonly isSecure: boolean,
    readonly peer: string,
    { now, patienceMs }: { now: number; patienceMs: number },
  ) {
    this.since = now;
    this.movedAt = now;
    this.patienceMs = patienceMs;
  }

  /** Ends it, which what is under way does not survive. */
  leave(): void {
    if (this.farewell === null) {
      this.socket.destroy();
      return;
    }
    this.farewell();
    setTimeout(() => this.socket.destroy(), farewellMs).unref();
  }

  /** Does the work as soon as no more than so many are under way. */
  whenBusyWith(most: number, work: () => void): void {
    if (this.busy <= most || this.socket.destroyed) work();
    else this.onRest.push(() => this.whenBusyWith(most, work));
  }

  rested(): void {
    const waiting = this.onRest;
    this.onRest = [];
    for (const work of waiting) work();
  }
}

/** The connections of one client. @property silent how many of them have not asked for anything yet */
class Client {
  readonly visitors = new Set<Visitor>();
  silent = 0;
}

interface Limits extends Pick<Patience, 'headMs' | 'idleMs'> {
  /** How long a live connection or an answer may stand still. */
  liveSeconds: number;
  /** How many connections there may be at one time. */
  most: number;
  /** Addresses that stand for many visitors: the edge's. */
  isShared: (address: string) => boolean;
}

/**
 * The connections of all visitors, and the limits that keep some from shutting out the others: idle ones end, ones on which nothing moves end, one
 * client has so many at most, and when there are too many the one that has been idle longest makes room.
 */
export class Visitors {
  private readonly all = new Set<Visitor>();
  /** Longest idle first. */
  private readonly idle = new Set<Visitor>();
  private readonly byClient = new Map<string, Client>();
  private readonly sweeping: NodeJS.Timeout;
  private isEnding = false;
  /** How many there were at most since memory was given back. */
  private peak = 0;
  /** Sweeps since most of them have gone. */
  private sinceBurst = 0;

  constructor(private readonly limits: Limits) {
    this.sweeping = setInterval(() => this.sweep(performance.now()), 1000).unref();
  }

  /** Null when there is no room; the connection is closed then. */
  admit(socket: Socket, isSecure: boolean): Visitor | null {
    // Without an address it has gone already.
    const peer = socket.remoteAddress ?? '';
    const client = parseAddress(peer) ?? peer;
    const key = this.limits.isShared(client) ? null : countedAs(client);
    // Turned away before anything is made for it: whoever opens many and says nothing would keep all others waiting.
    if (key !== null && (this.byClient.get(key)?.silent ?? 0) >= mostSilentOfOneClient) {
      socket.destroy();
      return null;
    }
    if (peer === '' || !this.hasRoom(this.all, this.limits.most) || !this.hasRoomFor(key)) {
      socket.destroy();
      return null;
    }
    const patienceMs = this.limits.liveSeconds * 1000;
    const visitor = new Visitor(socket, isSecure, peer, { now: performance.now(), patienceMs });
    this.all.add(visitor);
    this.peak = Math.max(this.peak, this.all.size);
    this.idle.add(visitor);
    if (key !== null) {
      const own = this.of(key);
      own.visitors.add(visitor);
      own.silent += 1;
      visitor.client = own;
    }
    socket.once('close', () => this.forget(visitor, key));
    return visitor;
  }

  begin(visitor: Visitor): void {
    visitor.busy += 1;
    this.heard(visitor);
    if (visitor.busy > 1) return;
    visitor.movedAt = performance.now();
    this.idle.delete(visitor);
  }

  private heard(visitor: Visitor): void {
    if (!visitor.hasAsked && visitor.client !== null) visitor.client.silent -= 1;
    visitor.hasAsked = true;
  }

  end(visitor: Visitor): void {
    visitor.busy -= 1;
    if (visitor.busy === 0 && !visitor.socket.destroyed) {
      visitor.since = performance.now();
      visitor.patienceMs = this.limits.liveSeconds * 1000;
      this.idle.add(visitor);
      if (this.isEnding) visitor.leave();
    }
    visitor.rested();
  }

  /** Ends what is idle, and whatever becomes idle from now on. */
  endWhenIdle(): void {
    this.isEnding = true;
    for (const visitor of this.idle) visitor.leave();
  }

  endAll(): void {
    for (const { socket } of this.all) socket.destroy();
  }

  stop(): void {
    clearInterval(this.sweeping);
  }

  private hasRoomFor(key: string | null): boolean {
    return key === null || this.hasRoom(this.byClient.get(key)?.visitors ?? new Set(), mostOfOneClient);
  }

  /** Makes room where it can. */
  private hasRoom(among: ReadonlySet<Visitor>, most: number): boolean {
    if (among.size < most) return true;
    const longest = among === this.all ? this.longestIdle(this.idle) : this.longestIdle(among);
    if (longest === null) return false;
    this.idle.delete(longest);
    longest.socket.destroy();
    return true;
  }

  private longestIdle(among: ReadonlySet<Visitor>): Visitor | null {
    let longest: Visitor | null = null;
    for (const visitor of among) {
      if (visitor.busy > 0 || visitor.socket.destroyed) continue;
      if (among === this.idle) return visitor;
      if (longest === null || visitor.since < longest.since) longest = visitor;
    }
    return longest;
  }

  private of(key: string): Client {
    const found = this.byClient.get(key) ?? new Client();
    this.byClient.set(key, found);
    return found;
  }

  private forget(visitor: Visitor, key: string | null): void {
    this.all.delete(visitor);
    this.idle.delete(visitor);
    visitor.rested();
    this.heard(visitor);
    const same = key === null ? undefined : this.byClient.get(key)?.visitors;
    same?.delete(visitor);
    if (key !== null && same?.size === 0) this.byClient.delete(key);
  }

  private sweep(now: number): void {
    this.lookForLeftovers();
    for (const visitor of this.idle) {
      const { idleMs, headMs } = this.limits;
      if (now - visitor.since > (visitor.hasAsked ? idleMs : headMs)) visitor.leave();
    }
    for (const visitor of this.all) {
      if (visitor.busy === 0) continue;
      const moved = visitor.socket.bytesRead + visitor.socket.bytesWritten;
      if (moved !== visitor.moved) {
        visitor.moved = moved;
        visitor.movedAt = now;
      } else if (now - visitor.movedAt > visitor.patienceMs) visitor.socket.destroy();
    }
  }

  /** What a connection leaves behind is let go of a little later than itself. */
  private lookForLeftovers(): void {
    const isOver = this.peak > burst && this.all.size < this.peak / 4;
    this.sinceBurst = isOver ? this.sinceBurst + 1 : 0;
    if (this.sinceBurst < 5) return;
    this.peak = this.all.size;
    giveBack();
  }
}
