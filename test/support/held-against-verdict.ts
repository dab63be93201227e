import { chmodSync, existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { decide, prepare } from '../../src/core/verdict/decide.ts';
import { forgeable, type Prepared, type Verdict, type VerdictRequest } from '../../src/core/verdict/verdict.ts';
import { startEcho, type Echo } from './echo.ts';
import { startFront, type ProxyName, type RunningFront } from './fronts.ts';
import { sendHttp2 } from './http2.ts';
import { freePorts } from './ports.ts';
import { inventoryOf, plannedOf, someHost } from './plan.ts';
import { folderWith } from './program.ts';
import { requestOf as plainRequest } from './request.ts';
import { sendRaw, type Outcome } from './raw.ts';

/**
 * A request to a running front, to be held against the verdict. What malformed requests get may differ in kind (another 4xx, or a
 * closed connection), but never reaches a service.
 */
export interface Row {
  what: string;
  listener?: 'http' | 'https';
  /** Default: the first Host. */
  sni?: string | null;
  host?: string[];
  method?: string;
  target?: string;
  version?: '1.0' | '1.1' | '2.0';
  from?: string;
  headers?: Array<[string, string]>;
  body?: string;
  /** Who the credentials among `headers` prove. */
  person?: string;
  knownIn?: string[];
  overRate?: boolean;
}

export interface Ports {
  http: number;
  https: number;
  mark: number;
  dead: number;
}

export type MapText = (given: { proxy: ProxyName; ports: Ports; echoes: readonly Echo[] }) => string;

/** A front that runs a map, with services that say what reached them. */
export class HeldFront {
  private constructor(
    readonly ports: Ports,
    readonly folder: string,
    readonly echoes: readonly Echo[],
    readonly prepared: Prepared,
    private readonly front: RunningFront,
  ) {}

  /** @param files beside the map, in the same folder */
  static async start(proxy: ProxyName, mapText: MapText, files: Record<string, string> = {}): Promise<HeldFront> {
    const echoes = await Promise.all(['bird-log', 'nestcam', 'roster'].map(startEcho));
    const [http = 0, https = 0, mark = 0, dead = 0] = await freePorts(4);
    const ports = { http, https, mark, dead };
    const text = mapText({ proxy, ports, echoes });
    const folder = folderWith({ ...files, 'mile-marker.yaml': text });
    // nginx serves as a user of its own.
    chmodSync(folder, 0o755);
    const { plan } = plannedOf(text, inventoryOf([]), someHost, folder);
    return new HeldFront(ports, folder, echoes, prepare(plan), await startFront(folder, proxy));
  }

  async stop(): Promise<void> {
    await this.front.stop();
    for (const echo of this.echoes) echo.stop();
  }

  verdictOf(row: Row): Verdict {
    return decide(this.prepared, requestOf(row));
  }

  async send(row: Row): Promise<Outcome> {
    const request = requestOf(row);
    const { listener, sni, host, method, target, httpVersion, peer: from } = request;
    if (httpVersion === '2.0') return sendHttp2({ port: this.ports.https, from, servername: sni, row });
    const isUpgrade = row.headers?.some(([name]) => name === 'Upgrade') === true;
    const lines = [
      `${method} ${target} HTTP/${httpVersion}`,
      ...host.map((value) => `Host: ${value}`),
      ...(row.headers ?? []).map(([name, value]) => `${name}: ${value}`),
      ...(isUpgrade ? [] : ['Connection: close']),
    ];
    const text = `${lines.join('\r\n')}\r\n\r\n${row.body ?? ''}`;
    // An upgrade leaves the connection open, so its answer is known by its last bytes.
    const secure = listener === 'https' ? { tls: { servername: sni } } : {};
    const endings = isUpgrade ? { until: /^websocket$/i.test(row.headers?.[1]?.[1] ?? '') ? '\r\n\r\n' : '\n' } : {};
    return sendRaw({ port: this.ports[listener], text, from, ...secure, ...endings });
  }

  /** Sends one request and expects what the verdict says. */
  async holds(row: Row): Promise<void> {
    for (const echo of this.echoes) echo.seen.length = 0;
    const verdict = this.verdictOf(row);
    const outcome = await this.send(row);
    const reached = this.echoes.filter(({ seen }) => seen.length > 0);
    if (verdict.because[0]?.step === 'sanity') {
      expect(reached).toEqual([]);
      const kind = outcome.kind === 'answer' ? `${String(outcome.status)[0] ?? ''}xx` : outcome.kind;
      // A coding that nobody knows is no fault of the request (RFC 9112 §6.1).
      const isCoded = row.headers?.some(([name]) => name.toLowerCase() === 'transfer-encoding') === true;
      expect(['closed', '4xx', ...(isCoded ? ['5xx'] : [])]).toContain(kind);
      return;
    }
    const isLive =
      verdict.act === 'forward' &&
      row.headers?.some(([name, to]) => name === 'Upgrade' && /^websocket$/i.test(to)) === true;
    const expected = { ...expectedOf(verdict, this.echoes), ...(isLive ? { status: 101 } : {}) };
    expect({ row: row.what, ...summaryOf(outcome) }).toEqual({ row: row.what, ...expected });
    const wanted = verdict.act === 'forward' ? this.echoes.filter(({ port }) => port === verdict.upstream.port) : [];
    expect(reached.map(({ name }) => name)).toEqual(wanted.map(({ name }) => name));
    if (verdict.act === 'forward' && wanted[0] !== undefined) expectSeen(wanted[0], row, verdict);
    if (outcome.kind === 'answer') expectHeaders(outcome.headers, verdict, row);
  }
}

export function requestOf(row: Row): VerdictRequest {
  const { listener = 'https', host = [], method = 'GET', target = '/', version = '1.1', from = '127.0.0.1' } = row;
  const headers = Object.create(null) as Record<string, string[]>;
  for (const [name, value] of row.headers ?? []) (headers[name.toLowerCase()] ??= []).push(value);
  const first = host[0]?.replace(/:\d*$/, '') ?? null;
  const sni = listener === 'http' ? null : row.sni === undefined ? first : row.sni;
  const { person = 'none', overRate = false } = row;
  const proof = row.knownIn === undefined ? {} : { knownIn: row.knownIn };
  const asked = { listener, sni, host, method, target, httpVersion: version, peer: from, headers };
  return plainRequest({ ...asked, person, ...proof, overRate });
}

/** What two fronts must have in common for a well-formed request. */
function summaryOf(outcome: Outcome): Record<string, unknown> {
  if (outcome.kind !== 'answer') return { kind: outcome.kind };
  const { status, headers } = outcome;
  return { kind: 'answer', status, location: headers['location'] ?? null, service: headers['x-echo'] ?? null };
}

function expectedOf(verdict: Verdict, echoes: readonly Echo[]): Record<string, unknown> {
  const answer = { kind: 'answer', location: null, service: null };
  switch (verdict.act) {
    case 'no-handshake':
      return { kind: 'no-handshake' };
    case 'close':
      return { kind: 'closed' };
    case 'folder':
      return { ...answer, ...fileAt(verdict) };
    case 'answer':
      return { ...answer, status: verdict.status, location: verdict.location ?? null };
    case 'forward': {
      const service = echoes.find(({ port }) => port === verdict.upstream.port)?.name ?? null;
      return { ...answer, status: service === null ? 502 : 200, service };
    }
  }
}

/** The file on the disk is the one fact that a verdict about a folder leaves open. */
function fileAt({ root, path }: Extract<Verdict, { act: 'folder' }>): { status: number; location?: unknown } {
  const file = path === null ? null : join(root, path);
  if (file === null || !existsSync(file) || readFileSync(join(root, 'links.txt'), 'utf8').includes(path ?? ''))
    return { status: 404 };
  return statSync(file).isDirectory() ? { status: 307, location: expect.stringMatching(/\/(\?|$)/) } : { status: 200 };
}

/** The request line byte for byte, the body, and the forwarded headers: exactly the verdict's, nothing forged. */
function expectSeen(echo: Echo, row: Row, verdict: Extract<Verdict, { act: 'forward' }>): void {
  expect(echo.seen).toHaveLength(1);
  const [seen] = echo.seen;
  expect({ method: seen?.method, target: seen?.target, body: seen?.body }).toEqual({
    method: row.method ?? 'GET',
    target: verdict.target,
    body: row.body === undefined || row.what.startsWith('smuggling') ? '' : 'hello',
  });
  const told = ['host', 'x_forwarded_for', 'x.forwarded.for', ...forgeable].flatMap((name) => {
    const value = seen?.headers[name];
    return value === undefined ? [] : [[name, value]];
  });
  expect({ row: row.what, ...Object.fromEntries(told) }).toEqual({ row: row.what, ...verdict.headers });
  const sent = row.headers?.find(([name]) => name.toLowerCase() === 'authorization')?.[1];
  expect(seen?.headers['authorization']).toBe(verdict.without.includes('authorization') ? undefined : sent);
}

/** Headers by which an answer speaks for the front. */
const judged = [
  'access-control-allow-credentials',
  'access-control-allow-headers',
  'access-control-allow-methods',
  'access-control-allow-origin',
  'access-control-max-age',
  'content-security-policy',
  'cross-origin-opener-policy',
  'permissions-policy',
  'referrer-policy',
  'retry-after',
  'strict-transport-security',
  'vary',
  'www-authenticate',
  'x-content-type-options',
  'x-frame-options',
  'x-powered-by',
  'x-robots-tag',
];

/** Every header that the verdict gives an answer of a road, once, and none that it does not. */
function expectHeaders(found: Record<string, string>, verdict: Verdict, row: Row): void {
  const expected: Record<string, string> = {};
  if (verdict.act === 'forward') {
    const said = saidBy(row).filter(([name]) => !verdict.answer.drop.includes(name));
    const lines = [...said, ...verdict.answer.set.map(([name, value]) => [name.toLowerCase(), value] as const)];
    const defaults = verdict.answer.defaults.map(([name, value]) => [name.toLowerCase(), value] as const);
    for (const [name, value] of [...lines, ...defaults.filter(([name]) => !said.some(([own]) => own === name))])
      expected[name] = expected[name] === undefined ? value : `${expected[name]}, ${value}`;
  } else if (verdict.act === 'answer' || verdict.act === 'folder') Object.assign(expected, verdict.headers);
  else return;
  const of = (headers: Record<string, string>): Record<string, string> =>
    Object.fromEntries(judged.flatMap((name) => (headers[name] === undefined ? [] : [[name, headers[name]]])));
  expect({ row: row.what, ...of(found) }).toEqual({ row: row.what, ...of(expected) });
  if (verdict.act === 'answer' && verdict.status === 405) expect(found['allow']).toBe(verdict.headers['allow']);
}

/** What the service is asked to say of itself, see echo.ts. */
function saidBy(row: Row): Array<[string, string]> {
  const asked = row.headers?.find(([name]) => name === 'X-Say')?.[1];
  return asked === undefined ? [] : (JSON.parse(asked) as Array<[string, string]>);
}
