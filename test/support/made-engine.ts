import http, { type ServerResponse } from 'node:http';
import { rmSync } from 'node:fs';

/** A container of the made engine. @property address on its bridge; null while it does not run */
export interface MadeContainer {
  name: string;
  address: string | null;
  port: number;
  labels?: Record<string, string>;
  /** Labels of its image, which the engine says among those of the container, too. */
  ofImage?: Record<string, string>;
  /** When it was made, in ISO 8601. */
  made?: string;
  /** Port of loopback on which it is published. */
  published?: number;
}

/** A stand-in for an engine's HTTP API (v1.41) on a socket, whose containers and events a test decides: those that come too fast or not at all cannot be had from a real one. */
export class MadeEngine {
  readonly containers = new Map<string, MadeContainer>();
  private readonly listeners = new Set<ServerResponse>();
  private server: http.Server | null = null;
  /** How often containers were inspected. */
  inspected = 0;
  /** Answers in place of the right ones, by path; null hangs. */
  odd: (path: string) => { status: number; body: string } | null | undefined = () => undefined;

  constructor(readonly socket: string) {}

  async start(): Promise<void> {
    this.server = http.createServer((request, response) => this.answer(request.url ?? '', response));
    await new Promise<void>((resolve) => this.server?.listen(this.socket, resolve));
  }

  async stop(): Promise<void> {
    const { server } = this;
    this.server = null;
    this.listeners.clear();
    await new Promise<void>((resolve) => {
      server?.close(() => resolve());
      server?.closeAllConnections();
    });
    rmSync(this.socket, { force: true });
  }

  /** Whether somebody listens to its events. */
  get isHeard(): boolean {
    return this.listeners.size > 0;
  }

  put(container: MadeContainer, action: string | null = 'start'): void {
    this.containers.set(container.name, container);
    if (action !== null) this.tell(action, container.name);
  }

  remove(name: string): void {
    this.containers.delete(name);
    this.tell('destroy', name);
  }

  tell(action: string, name: string): void {
    this.line(JSON.stringify({ Type: 'container', Action: action, Actor: { ID: idOf(name), Attributes: { name } } }));
  }

  line(text: string): void {
    for (const response of this.listeners) response.write(`${text}\n`);
  }

  private answer(url: string, response: ServerResponse): void {
    const path = url.replace(/^\/v\d+\.\d+/, '').split('?')[0] ?? '';
    const odd = this.odd(path);
    if (odd === null) return;
    if (odd !== undefined) {
      response.writeHead(odd.status).end(odd.body);
      return;
    }
    if (path === '/events') {
      response.writeHead(200, { 'content-type': 'application/json' });
      response.flushHeaders();
      this.listeners.add(response);
      response.once('close', () => this.listeners.delete(response));
      return;
    }
    const found = this.found(path);
    response.writeHead(found === null ? 404 : 200, { 'content-type': 'application/json' });
    response.end(JSON.stringify(found ?? { message: 'no such object' }));
  }

  private found(path: string): unknown {
    if (path === '/containers/json') return [...this.containers.keys()].map((name) => ({ Id: idOf(name) }));
    if (path === '/networks')
      return [{ Name: 'marsh', Driver: 'bridge', IPAM: { Config: [{ Subnet: '172.31.255.0/24' }] } }];
    if (path === '/images/json')
      return [...this.containers.values()].map(({ name, ofImage }) => ({
        Id: `sha256:${idOf(name)}`,
        Labels: ofImage ?? null,
      }));
    const one = [...this.containers.values()].find(({ name }) => path === `/containers/${idOf(name)}/json`);
    if (one === undefined) return null;
    this.inspected += 1;
    const running = one.address !== null;
    return {
      Id: idOf(one.name),
      Name: `/${one.name}`,
      Created: one.made ?? '2026-11-30T10:00:00Z',
      Image: `sha256:${idOf(one.name)}`,
      State: { Status: running ? 'running' : 'exited', ExitCode: 0 },
      Config: {
        Image: 'observatory/pages',
        Labels: { ...one.ofImage, ...one.labels },
        ExposedPorts: { [`${String(one.port)}/tcp`]: {} },
      },
      HostConfig: { NetworkMode: 'marsh', RestartPolicy: { Name: 'always' } },
      Mounts: [],
      NetworkSettings: {
        Networks: { marsh: { IPAddress: one.address ?? '', Aliases: [one.name] } },
        Ports:
          one.published === undefined
            ? {}
            : { [`${String(one.port)}/tcp`]: [{ HostIp: '127.0.0.1', HostPort: String(one.published) }] },
      },
    };
  }
}

function idOf(name: string): string {
  return Buffer.from(name).toString('hex').padEnd(64, '0').slice(0, 64);
}
