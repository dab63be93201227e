import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { Guide } from './support/guide.ts';
import { makeNamespaces, removeNamespaces, within } from './support/network.ts';
import { ownNginx, type OwnNginx } from './support/own-nginx.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, program } from './support/program.ts';

/** Each complaint of `docs/symptoms.md`, brought about on a machine with containers and an nginx, with what is said of it and its way out. */

const machine = 'mm-symptoms';
const address = '203.0.113.24';
/** In the second test a router has the public address, and does not lead back inside. */
const publicAddress = '198.51.100.80';
const home = '192.168.64.10';
let engine: RunningEngine;
let nginx: OwnNginx;
let site: string;
let guide: Guide;
const children: ChildProcess[] = [];

beforeAll(async () => {
  makeNamespaces([machine]);
  for (const own of [`${address}/32`, `${home}/24`]) within(machine, 'ip', 'addr', 'add', own, 'dev', 'lo');
  const [tlsPort = 0] = await freePorts(1);
  engine = await startEngine(tlsPort, machine);
  const folder = folderWith();
  site = join(folder, 'marsh');
  mkdirSync(site);
  nginx = ownNginx(folder);
  guide = new Guide('symptoms.md', [
    [/[0-9a-f]{64}|[0-9a-f]{12}/, 'ID'],
    [join(folder, 'machine/conf.d'), '/etc/nginx/conf.d'],
    [join(folder, 'machine/'), '/etc/nginx/'],
    [folder, '/srv'],
    [/\d{4}-\d\d-\d\d/, 'DATE'],
  ]);
});

afterAll(async () => {
  for (const child of children) child.kill('SIGKILL');
  await nginx.stop();
  await engine.stop();
  removeNamespaces([machine]);
});

function inside(argv: readonly string[]): { code: number | null; out: string } {
  const env = { ...nginx.env, DOCKER_HOST: `unix://${engine.socket}`, HOME: site };
  const words = ['-c', 'exec nsenter "$@" 2>&1', 'sh', `--net=/run/netns/${machine}`, ...argv];
  const { status, stdout } = spawnSync('sh', words, { cwd: site, env, encoding: 'utf8' });
  return { code: status, out: stdout };
}

const quiet = (...argv: string[]): { code: number | null; out: string } => inside([process.execPath, program, ...argv]);

/** As a person types it, and into the guide with all that comes back. */
function run(line: string, ...more: string[]): string {
  const { out } = quiet(...line.split(' '), ...more);
  guide.add(`mile-marker ${[line, ...more].join(' ')}`, out);
  return out.replace(/\s+/g, ' ');
}

/** The same without a word in the guide. */
function isWell(road: string, at = home): void {
  const { code, out } = quiet('verify', road, '--at', at);
  expect([code, out]).toEqual([0, expect.stringContaining('1 of 1 road works')]);
}

function container(name: string, port: string): void {
  const keeps = ['--restart', 'unless-stopped', '--hostname', name];
  engine.docker('run', '-d', '--name', name, ...keeps, '-p', port, 'observatory/pages');
}

/** A program of this machine, ended with the test. */
function background(code: string): Promise<void> {
  const child = spawn('nsenter', [`--net=/run/netns/${machine}`, process.execPath, '-e', code], {
    cwd: join(__dirname, '..'),
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  children.push(child);
  return new Promise((resolve) => child.stdout?.once('data', () => resolve()));
}

const head = (at = address, more = ''): string =>
  `domains: [saltmarsh.example]
front: {address: ${at}, proxy: nginx${more}}
`;

test('a front made by hand: live parts, uploads, an old site', async () => {
  await background(
    `const { WebSocketServer } = require('ws'); const http = require('http');
     const page = '<script>new WebSocket("wss://" + location.host + "/live")</script>';
     const server = http.createServer((request, response) => { request.resume(); request.on('end', () => response.setHeader('content-type', 'text/html').end(page)); });
     new WebSocketServer({ server }); server.listen(9400, '127.0.0.1', () => console.log('up'));`,
  );
  writeFileSync(
    join(site, 'mile-marker.yaml'),
    `${head()}roads:\n  workbench: {to: ":9400", gate: everyone, body-limit: 20MiB, expect: {path: /live, websocket: true}}\n`,
  );
  quiet('certs', 'make');
  const pair = join(site, '.mile-marker/certificates/workbench.saltmarsh.example/current');
  const secure = `ssl_certificate ${pair}/certificate.pem; ssl_certificate_key ${pair}/key.pem;`;
  const strict = 'add_header Strict-Transport-Security "max-age=31536000" always;';
  const byHand = (lines: string): void =>
    writeFileSync(
      join(nginx.files, 'workbench.conf'),
      `server { listen 80 default_server; return 444; }
server { listen 443 ssl default_server; ssl_reject_handshake on; ssl_protocols TLSv1.3; }
server { listen 80; server_name workbench.saltmarsh.example; return 308 https://$host$request_uri; }
server {
  listen 443 ssl; server_name workbench.saltmarsh.example; ${secure} ssl_protocols TLSv1.3; ${strict}
  location / { proxy_pass http://127.0.0.1:9400; proxy_set_header Host $host; proxy_set_header X-Forwarded-Proto https; ${lines} }
}
`,
    );
  const live = 'proxy_http_version 1.1; proxy_set_header Upgrade $http_upgrade; proxy_set_header Connection upgrade;';
  byHand('client_max_body_size 20m;');
  inside(['nginx']);
  expect(run(`verify workbench --at ${address}`)).toContain('websocket-not-passed');
  byHand(`${live}`);
  inside(['nginx', '-s', 'reload']);
  expect(run(`verify workbench --at ${address}`)).toContain('upload-limit');
  byHand(`${live} client_max_body_size 20m;`);
  inside(['nginx', '-s', 'reload']);
  isWell('workbench', address);
  expect(run('check')).toContain('name-already-served');
  rmSync(join(nginx.files, 'workbench.conf'));
  inside(['nginx', '-s', 'reload']);
  expect(quiet('install', '--yes').out).toContain('is live.');
  isWell('workbench', address);
});

test('a front of this map: every other complaint', async () => {
  container('nestcam', '127.0.0.1:8082:8080');
  container('bird-log', '8081:8080');
  await background(
    `require('http').createServer((request, response) => response.writeHead(301, { location: 'https://' + request.headers.host + request.url }).end())
       .listen(9401, '127.0.0.1', () => console.log('up'));`,
  );
  const gates = 'gates: {wardens: {networks: [192.0.2.0/24]}}\n';
  writeFileSync(
    join(site, 'mile-marker.yaml'),
    `${head(publicAddress, `, home: ${home}`)}${gates}roads:
  workbench: {to: ":9400", gate: everyone}
  nestcam: {to: "nestcam:8080", gate: everyone}
  sightings: {to: "bird-log:8080", gate: home}
  ledger: {to: ":9401", gate: everyone}
`,
  );
  expect(quiet('install', '--yes', '--despite', 'no-certificate').out).toContain('is live.');

  expect(run(`verify nestcam --at ${home}`)).toContain('certificate-');
  run('certs make');
  isWell('nestcam');

  expect(run(`verify ledger --at ${home}`)).toContain('redirect-loop');

  engine.docker('stop', '-t', '1', 'nestcam');
  expect(run(`verify nestcam --at ${home}`)).toContain('service-down');
  engine.docker('start', 'nestcam');
  isWell('nestcam');

  expect(run(`verify sightings --at ${home}`)).toContain('front-bypassed');
  engine.docker('rm', '-f', 'bird-log');
  container('bird-log', '127.0.0.1:8081:8080');
  isWell('sightings');

  quiet('set', 'nestcam', 'gate', 'wardens', '--no-reload');
  expect(run(`verify nestcam --at ${home}`)).toContain('gate-open');
  expect(run('explain https://nestcam.saltmarsh.example/ --from 198.51.100.7')).toContain('403');
  expect(quiet('install', '--yes').out).toContain('is live.');

  quiet('set', 'workbench', 'to', 'bird-log:8080');
  expect(run(`verify workbench --at ${home}`)).toContain('front-not-newest');
  expect(quiet('install', '--yes').out).toContain('is live.');
  isWell('workbench');

  await nginx.stop();
  expect(run(`verify workbench --at ${home}`)).toContain('port-closed');
  inside(['nginx']);
  isWell('workbench');

  engine.docker('update', '--restart', 'no', 'bird-log');
  expect(run('check')).toContain('no-restart-policy');
  engine.docker('update', '--restart', 'unless-stopped', 'bird-log');

  await background(
    `const packet = require('dns-packet'); const socket = require('dgram').createSocket('udp4');
     socket.on('message', (message, { port, address }) => {
       const { id, questions } = packet.decode(message);
       const answers = questions.filter(({ type }) => type === 'A').map(({ name }) => ({ name, type: 'A', ttl: 60, data: '${publicAddress}' }));
       socket.send(packet.encode({ id, type: 'response', flags: packet.RECURSION_AVAILABLE, questions, answers }), port, address);
     }).bind(5353, '127.0.0.1', () => console.log('up'));`,
  );
  expect(run('verify workbench --resolver 127.0.0.1:5353')).toContain('no-hairpin');
  guide.holds();
});
