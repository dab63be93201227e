import http from 'node:http';
import type net from 'node:net';
import { chmodSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import bcrypt from 'bcryptjs';
import { WebSocketServer } from 'ws';
import { startFront } from '../support/fronts.ts';
import { freePorts, listening, portOf } from '../support/ports.ts';
import { folderWith, mileMarker } from '../support/program.ts';
import type { TestAuthority } from './certificates.ts';
import { handlerOf, page, type TestBed } from './does.ts';
import { startRecords } from './dns.ts';
import { edgeAddress, startEdge } from './edge.ts';
import { startHaproxyFront } from './haproxy-front.ts';
import { startHttpdFront } from './httpd-front.ts';
import { startNginxFront } from './nginx-front.ts';
import { closing, rawServer, startNodeFront, tlsServer, type Closing } from './node-front.ts';
import type { Row, Service } from './row.ts';

export interface Told {
  rule: string;
  severity: 'error' | 'warning' | 'note';
  leg: string | null;
  roads: string[];
  message: string;
  remedy: string;
}

export interface Outcome {
  code: number | null;
  findings: Told[];
  err: string;
}

const names = { nestcam: 'nestcam.saltmarsh.example', tides: 'tides.saltmarsh.example' };

/** Sets up the working installation as a row changes it, drives it with the built program, and takes it down. */
export async function run(row: Row, authority: TestAuthority): Promise<Outcome> {
  const closings: Closing[] = [];
  try {
    const [httpPort = 0, httpsPort = 0, mark = 0] = await freePorts(3);
    const service = await startService(row.service ?? {}, authority, closings, { http: httpPort, https: httpsPort });
    const tides = await listening(
      http.createServer((request, response) => page('Tide tables', request, response)),
      0,
    );
    closings.push(closing(tides));
    const bed = { name: names.nestcam, http: httpPort, https: httpsPort, service, tides: portOf(tides) };
    const addresses = row.addresses ?? ['127.0.0.1'];
    const shown = row.edge === undefined ? addresses : [edgeAddress];
    const wild = row.others === undefined ? {} : { '*.saltmarsh.example': row.ofOthers ?? shown };
    const dns = await startRecords({ ...wild, [names.nestcam]: row.records ?? shown, [names.tides]: shown });
    closings.push(dns.stop);
    const folder = folderWith({
      'mile-marker.yaml': mapOf(row, bed, addresses, mark),
      'ca.pem': authority.trusted,
      wardens: `edda:${bcrypt.hashSync('tern over the spit', 4)}\n`,
      login: 'edda:tern over the spit\n',
      'site/index.html': '<title>The hide</title>the marsh from the hide',
    });
    chmodSync(folder, 0o755);
    chmodSync(join(folder, 'login'), 0o600);
    const compose = (text: string): void =>
      writeFileSync(join(folder, 'compose.yaml'), text.replaceAll('{service}', String(service)));
    if (row.compose !== undefined) compose(row.compose.before);
    if (row.held !== undefined) await hold(folder, authority, row);
    closings.push(...(await startFronts(row, folder, bed, addresses, authority)));
    if (row.compose !== undefined) compose(row.compose.then);
    // Patience costs nothing where all answer, however busy the machine that runs this is.
    const patience = /silent|hangs|stalls|slowly|streams|events|cutsAfter|banner|"passesUpgrade":false/.test(
      JSON.stringify(row),
    )
      ? '2500ms'
      : '15s';
    const argv = [
      'verify',
      '--json',
      ...['--trust', 'ca.pem', '--resolver', `127.0.0.1:${String(dns.port)}`, '--timeout', patience],
      ...(row.login === true ? ['--login', 'login'] : []),
      ...(row.nginx === undefined ? [] : ['--front-log', 'front/errors.log']),
      ...(row.argv ?? []),
    ];
    const { code, out, err } = await mileMarker(argv, folder);
    const { findings } = (out === '' ? { findings: [] } : JSON.parse(out)) as { findings: Told[] };
    return { code, findings, err };
  } finally {
    for (const close of closings.reverse()) close();
  }
}

function mapOf(
  row: Row,
  { http: plain, https, service, tides }: TestBed,
  addresses: readonly string[],
  mark: number,
): string {
  const to = row.to ?? `":${String(service)}"`;
  const leads = to.startsWith('{') ? to.slice(1, -1) : `to: ${to.replaceAll('{service}', String(service))}`;
  const gate = /\bgate:/.test(row.road ?? '') ? '' : ', gate: everyone';
  const others = row.others === undefined ? '' : `  others: {${row.others}, gate: everyone}\n`;
  const road =
    row.road === undefined
      ? ''
      : `, ${row.road.replaceAll('{tides}', String(tides)).replaceAll('{service}', String(service))}`;
  return `domains: [saltmarsh.example]
front:
  address: [${addresses.map((one) => `"${one}"`).join(', ')}]
  ports: {http: ${String(plain)}, https: ${String(https)}}
  mark: "127.0.0.1:${String(mark)}"
  home-networks: [127.0.0.0/8]
  proxy: ${row.own ?? 'builtin'}
${row.edge === undefined ? '' : `  edge: {networks: [${edgeAddress}/32], address-header: X-Client-Address, replaces-header: true}\n`}${row.compose === undefined ? '' : 'compose: [compose.yaml]\n'}${row.map ?? ''}gates: {far: {networks: 198.51.100.0/24}, wardens: {people: wardens}}
roads:
  nestcam: {${leads}${gate}${road}}
  tides: {to: ":${String(tides)}", gate: everyone}
${others.replaceAll('{service}', String(service))}`;
}

async function startFronts(
  row: Row,
  folder: string,
  bed: TestBed,
  addresses: readonly string[],
  authority: TestAuthority,
): Promise<Closing[]> {
  if (row.own !== undefined) {
    const front = await startFront(folder, row.own);
    const edge = row.edge === undefined ? [] : await startEdge(row.edge, bed, authority);
    return [() => void front.stop(), ...edge];
  }
  const given = { folder, bed, names, authority };
  if (row.nginx !== undefined) return [await startNginxFront(row.nginx, given)];
  if (row.haproxy !== undefined) return [await startHaproxyFront(row.haproxy, given)];
  if (row.httpd !== undefined) return [await startHttpdFront(row.httpd, given)];
  const fronts = addresses.map((address, index) => ({
    address,
    front: index === 0 ? (row.node ?? {}) : { ...row.node, ...row.second },
  }));
  const started = [];
  for (const { address, front } of fronts)
    started.push(...(await startNodeFront({ front, address, bed, names, authority })));
  return started;
}

async function startService(
  { does = 'page', tls = false, live, raw }: Service,
  authority: TestAuthority,
  closings: Closing[],
  ports: { http: number; https: number },
): Promise<number> {
  const [port = 0] = await freePorts(1);
  if (raw === 'nobody') return port;
  const handler = handlerOf(does, { name: names.nestcam, ...ports, service: port, tides: 0 });
  const server: net.Server =
    raw !== undefined
      ? rawServer(raw)
      : tls !== false
        ? tlsServer(await authority.leaf(names.nestcam, tls === true ? {} : tls), handler)
        : http.createServer(handler);
  if (live !== undefined) {
    let count = 0;
    const verifyClient = (): boolean => live === 'echoes' || count++ % 2 === 1;
    const sockets = new WebSocketServer({ server: server as http.Server, path: '/live', verifyClient });
    sockets.on('connection', (socket) => socket.on('message', (data) => socket.send(data)));
  }
  await listening(server, port);
  closings.push(closing(server));
  return port;
}

/** A certificate that lies where `certs` would have put it. */
async function hold(folder: string, authority: TestAuthority, { held }: Row): Promise<void> {
  const pair = await authority.leaf(names.nestcam, held);
  const current = join(folder, '.mile-marker/certificates', names.nestcam, 'current');
  mkdirSync(current, { recursive: true });
  writeFileSync(join(current, 'certificate.pem'), pair.certificate);
  writeFileSync(join(current, 'key.pem'), pair.key, { mode: 0o600 });
}
