import { createHash, X509Certificate } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import http from 'node:http';
import https from 'node:https';
import net from 'node:net';
import type { Duplex } from 'node:stream';
import tls from 'node:tls';
import { addressesOf } from '../core/plan/parts.ts';
import type { Upstream } from '../core/plan/upstream.ts';
import { briefSeconds, keptSeconds } from '../core/front-limits.ts';

/** A service that let a time limit pass. */
export class Silence extends Error {}

/**
 * The connections to one service. A service may close one that is idle just as a request goes out on it: so `kept` ones are for requests that may
 * be sent twice, and what may not goes on `brief` ones, which are idle for less than any service waits. `fresh` ones carry a single request.
 */
export interface Service {
  kept: http.Agent;
  brief: http.Agent;
  fresh: http.Agent;
}

/** What waits for a service, and must not for ever. @property expires when it has waited long enough (milliseconds, `performance.now`) */
export interface Waiting {
  expires: number;
  expire: () => void;
}

const keptMs = keptSeconds * 1000;
const briefMs = briefSeconds * 1000;

/** So many idle connections are kept to one service. */
const mostKept = 256;

/** Connections to the services of a plan, opened when they are needed. */
export class Services {
  private readonly opened = new Map<string, Places>();
  private readonly known = new WeakMap<Upstream, Places>();
  /** Looked through by one clock: a timer for each request would cost more than the request. */
  private readonly waiting = new Set<Waiting>();
  private readonly clock: NodeJS.Timeout;
  /** Milliseconds of a clock that only goes forward, as near as time limits of seconds need. */
  now = performance.now();

  constructor(private readonly connectSeconds: number) {
    this.clock = setInterval(() => this.expire(), 250).unref();
  }

  /** One that runs several times is gone to in turn. */
  of(upstream: Upstream): Service {
    return this.placesOf(upstream).next();
  }

  private placesOf(upstream: Upstream): Places {
    const known = this.known.get(upstream);
    if (known !== undefined) return known;
    // Roads to one service share its connections where they ask for the same proof.
    const { scheme, verifyAs, trust } = upstream;
    const key = JSON.stringify([scheme, addressesOf(upstream), verifyAs, trust]);
    const places = this.opened.get(key) ?? new Places(upstream, this.connectSeconds * 1000);
    this.opened.set(key, places);
    this.known.set(upstream, places);
    return places;
  }

  watch(waiting: Waiting): void {
    this.waiting.add(waiting);
  }

  unwatch(waiting: Waiting): void {
    this.waiting.delete(waiting);
  }

  stop(): void {
    clearInterval(this.clock);
    for (const places of this.opened.values()) places.stop();
  }

  private expire(): void {
    this.now = performance.now();
    for (const waiting of this.waiting) if (waiting.expires < this.now) waiting.expire();
  }
}

function serviceAt(upstream: Upstream, connect: (done: OnConnection) => void): Service {
  const { Agent } = upstream.scheme === 'https' ? https : http;
  // Node's types know no `createConnection` here; its agents take it as the way to connect (http.Agent, `agent.createConnection`).
  const made = (options: http.AgentOptions): http.Agent =>
    Object.assign(new Agent(options), { createConnection: (_: unknown, done: OnConnection) => connect(done) });
  return {
    kept: made({ keepAlive: true, timeout: keptMs, maxFreeSockets: mostKept, scheduling: 'lifo' }),
    brief: made({ keepAlive: true, timeout: briefMs, maxFreeSockets: mostKept, scheduling: 'lifo' }),
    fresh: made({ keepAlive: false }),
  };
}

type OnConnection = (error: Error | null, socket?: Duplex) => void;

/** So long one of several may take to take a connection before the next is tried, and so long it is passed over after it did not. */
const nextMs = 1_000;
const passedOverMs = 10_000;

/** An address of a service, and the connections that begin there. */
interface AtAddress extends Service {
  host: string;
  port: number;
  passedOverUntil: number;
}

/** All addresses of one service: each in its turn, but those that took no connection a moment ago. */
class Places {
  private readonly all: AtAddress[];
  private turn = 0;

  constructor(
    private readonly upstream: Upstream,
    private readonly connectMs: number,
  ) {
    this.all = addressesOf(upstream).map((at, index) => ({
      ...serviceAt(upstream, (done) => this.connect(index, done)),
      ...{ ...at, passedOverUntil: 0 },
    }));
  }

  next(): Service {
    const [first] = this.inTurn(this.turn);
    this.turn = (this.turn + 1) % this.all.length;
    if (first === undefined) throw new TypeError('a service has at least one address');
    return first;
  }

  stop(): void {
    for (const { kept, brief, fresh } of this.all) for (const one of [kept, brief, fresh]) one.destroy();
  }

  private inTurn(from: number): AtAddress[] {
    if (this.all.length === 1) return this.all;
    const now = performance.now();
    const turned = [...this.all.slice(from), ...this.all.slice(0, from)];
    const isOut = ({ passedOverUntil }: AtAddress): boolean => passedOverUntil > now;
    return [...turned.filter((one) => !isOut(one)), ...turned.filter(isOut)];
  }

  /** There, else at the next one that takes the connection: nothing has been sent by then, so that anything may go to another. */
  private connect(index: number, done: OnConnection): void {
    const tryNext = ([at, ...others]: AtAddress[]): void => {
      if (at === undefined) return;
      const isLast = others.length === 0;
      connect({ ...this.upstream, host: at.host, port: at.port }, isLast ? this.connectMs : nextMs, (error, socket) => {
        if (error !== null) at.passedOverUntil = performance.now() + passedOverMs;
        if (error !== null && !isLast) tryNext(others);
        else done(error, socket);
      });
    };
    tryNext(this.inTurn(index));
  }
}

function connect(upstream: Upstream, connectMs: number, done: OnConnection): void {
  opened(upstream).then(
    (socket) => {
      const { scheme, trust } = upstream;
      const late = setTimeout(() => socket.destroy(new Silence('no connection in time')), connectMs);
      socket.once(scheme === 'http' ? 'connect' : 'secureConnect', () => {
        clearTimeout(late);
        const problem = trust.kind === 'pin' ? problemOfPin(socket as tls.TLSSocket, trust.digest) : null;
        socket.off('error', done);
        if (problem !== null) socket.destroy();
        done(problem, socket);
      });
      socket.once('error', done);
      socket.once('close', () => clearTimeout(late));
    },
    (error: unknown) => done(error as Error),
  );
}

async function opened(upstream: Upstream): Promise<net.Socket> {
  const { scheme, host, port } = upstream;
  const to = { host, port, noDelay: true };
  if (scheme === 'http') return net.connect(to);
  return tls.connect({ ...to, ALPNProtocols: ['http/1.1'], ...(await proofOf(upstream)) });
}

/** How the service must prove who it is. */
async function proofOf({ verifyAs, trust }: Upstream): Promise<tls.ConnectionOptions> {
  const servername = serverName(verifyAs ?? '');
  switch (trust.kind) {
    case 'system':
      return { servername };
    case 'ca':
      // An address is not sent as a name, and still is what the certificate must carry.
      return { servername, ca: await readFile(trust.file) };
    case 'none':
    case 'pin':
      return { servername, rejectUnauthorized: false };
  }
}

/** RFC 7469 §2.4: SHA-256 of the public key. Looked at before a byte is sent. */
function problemOfPin(socket: tls.TLSSocket, digest: string): Error | null {
  const { publicKey } = new X509Certificate(socket.getPeerCertificate().raw);
  const found = createHash('sha256')
    .update(publicKey.export({ type: 'spki', format: 'der' }))
    .digest('base64');
  return found === digest ? null : new Error(`the digest of its key is ${found}, which is not the pinned one`);
}

/** Addresses do not go into SNI (RFC 6066 §3); Node then checks the certificate against the address it dialled. */
function serverName(verifyAs: string): string {
  return /^[\d.]+$|:/.test(verifyAs) ? '' : verifyAs;
}
