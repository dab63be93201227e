import { spawn } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { join } from 'node:path';
import { startEngine, type RunningEngine } from '../src/demo/engine.ts';
import { demoCompose, demoMap, type DemoPorts } from '../src/demo/scenario.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, launch, mileMarker, says, stop } from './support/program.ts';

/** The survey on the demo's site, with the stand-in for the engine. */

let folder: string;
let engine: RunningEngine;
let services: DemoPorts['services'];
const map = (): string => readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');

beforeEach(async () => {
  const [http = 0, https = 0, mark = 0, ...rest] = await freePorts(9);
  const [a = 0, b = 0, c = 0, d = 0, e = 0, f = 0] = rest;
  services = { 'visitor-pages': a, 'bird-log': b, nestcam: c, roster: d, 'tide-tables': e, workbench: f };
  folder = folderWith({ 'compose.yaml': demoCompose(services) });
  const socket = join(folder, 'engine.sock');
  engine = await startEngine(socket, services);
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    demoMap({ ports: { http, https, mark, services }, proxy: 'builtin', engine: `unix://${socket}`, authority: null }),
  );
});
afterEach(() => engine.stop());

test('shows each service with its roads, what is apart, and what leads nowhere', async () => {
  const workbench = await listening(net.createServer(), services.workbench);
  const { code, out, err } = await mileMarker(['survey'], folder);
  workbench.close();
  expect(code).toBe(0);
  const shown = out
    .replace(/process \d+/g, 'process N')
    .replace(/\d{4,5}/g, 'N')
    .replace(/ +/g, ' ');
  expect(shown.slice(0, shown.indexOf('served by') === -1 ? undefined : shown.indexOf('served by')).trim())
    .toMatchInlineSnapshot(`
"observatory state listens on road
bird-log running N on every address:N sightings
nestcam running N on 127.0.0.1:N nestcam
ringing-db running, not in N none: its image
 your Compose is a database
 files
roster running N on 127.0.0.1:N roster
tide-tables ended with code N on 127.0.0.1:N tides
 1
visitor-pages running 80 on 127.0.0.1:N www

in no project state listens on road
gull-count running, not in N on 127.0.0.1:N none
 your Compose
 files

on this machine itself
 workbench.saltmarsh.example to :N: node (process N)

roads that lead nowhere
 tides.saltmarsh.example to tide-tables:N: observatory/tide-tables: ended
 with code 1"
`);
  expect(err).toContain('7 services, 5 on roads, 1 road to nowhere.');
  expect(out.split('\n').every((line) => line.length <= 80)).toBe(true);
});

test('--add asks on a terminal, and adds what is wanted with the gate home', async () => {
  const program = join(__dirname, '../dist/mile-marker.js');
  const command = `${process.execPath} ${program} survey --add`;
  const child = spawn('script', ['-qec', command, '/dev/null'], {
    cwd: folder,
    env: { PATH: process.env['PATH'] ?? '', TERM: 'dumb' },
  });
  let asked = '';
  child.stdout.setEncoding('utf8').on('data', (text: string) => {
    asked += text;
    if (asked.includes('? [y/N]') && child.stdin.writable) child.stdin.end('y\n');
  });
  const before = map();
  const code = await new Promise((resolve) => child.once('close', resolve));
  expect(asked).toContain('Add gull-count.saltmarsh.example to gull-count:3000?');
  expect([code, map()]).toEqual([0, `${before}  gull-count: gull-count:3000\n`]);
});

test('--add without a terminal adds nothing unless told to; a database is never offered', async () => {
  const before = map();
  const asked = await mileMarker(['survey', '--add'], folder);
  expect([asked.code, map()]).toEqual([2, before]);
  expect(asked.out).toContain('observatory/ringing-db: its image is a database');
  const told = await mileMarker(['survey', '--add', '--yes'], folder);
  expect([told.code, told.out]).toEqual([
    0,
    expect.stringContaining('added gull-count.saltmarsh.example to gull-count:3000, gate home'),
  ]);
  expect(told.err).toContain('Finish the setup of each service before you open it to everyone.');
  expect(map()).toBe(`${before}  gull-count: gull-count:3000\n`);
  const again = await mileMarker(['survey', '--add', '--yes'], folder);
  expect([again.code, again.err]).toEqual([0, expect.stringContaining('Nothing was added.')]);
});

test('--ports is the ledger, and --free the next number that nobody has', async () => {
  const held = await listening(net.createServer(), 0);
  const port = portOf(held);
  const ledger = await mileMarker(['survey', '--ports', '--json'], folder);
  const { ports } = JSON.parse(ledger.out) as {
    ports: Array<{ port: number; owner: Record<string, unknown>; source: string }>;
  };
  const known = (number: number): unknown[] =>
    ports.filter((row) => row.port === number).map(({ owner, source }) => ({ ...owner, source }));
  expect(known(services.nestcam)).toEqual([{ kind: 'service', service: 'observatory/nestcam', source: 'container' }]);
  expect(known(services['tide-tables'])).toEqual([
    { kind: 'service', service: 'observatory/tide-tables', source: 'compose' },
  ]);
  expect(known(services.workbench)).toEqual([{ kind: 'road', road: 'workbench.saltmarsh.example', source: 'map' }]);
  expect(known(port)).toEqual([
    { kind: 'processes', processes: [{ pid: process.pid, name: 'node' }], source: 'socket' },
  ]);
  const free = await mileMarker(['survey', '--free', '--from', String(port)], folder);
  held.close();
  expect(free.code).toBe(0);
  expect(Number(free.out)).toBeGreaterThan(port);
  expect(ports.map((row) => row.port)).not.toContain(Number(free.out));
});

test('works before there is a map, and without an engine', async () => {
  const empty = folderWith();
  const env = { DOCKER_HOST: `unix://${join(folder, 'engine.sock')}` };
  const first = await mileMarker(['survey'], empty, env);
  expect([first.code, first.out]).toEqual([0, expect.stringContaining('gull-count')]);
  expect(first.err).toContain('next: mile-marker init');
  writeFileSync(join(folder, 'mile-marker.yaml'), map().replace(/^engine: .*$/m, 'engine: none'));
  const { code, out, err } = await mileMarker(['survey'], folder);
  expect([code, out]).toEqual([0, expect.stringMatching(/nestcam +declared +3000 on 127\.0\.0\.1/)]);
  expect(err).toContain('No container engine was asked, so it is not known what runs.');
});

test.each([
  ['the old form', 'log:\n  image: observatory/log\n  ports: ["8080:80"]\n', 'is a service at the top level'],
  ['a slip', 'services:\n  log:\n\tports: []\n', 'indented with a tab'],
  ['no file', null, 'it does not exist'],
])('a Compose file that cannot be read is told beside what could be seen: %s', async (_, compose, words) => {
  const here = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nengine: none\ncompose: [c.yaml]\nroads: {}\n',
    ...(compose === null ? {} : { 'c.yaml': compose }),
  });
  const { code, err } = await mileMarker(['survey'], here);
  expect([code, err.replace(/\s+/g, ' ')]).toEqual([3, expect.stringContaining(words)]);
  expect((await mileMarker(['check'], here)).out.replace(/\s+/g, ' ')).toContain(words);
});

test('serve --written needs neither the map nor the engine', async () => {
  const none = await mileMarker(['serve', '--written'], folder);
  expect([none.code, none.err]).toEqual([2, expect.stringContaining('Nothing is written yet')]);
  await mileMarker(['certs', 'make'], folder);
  await mileMarker(['people', 'add', 'edda', '--generate'], folder);
  await mileMarker(['write'], folder);
  writeFileSync(join(folder, 'mile-marker.yaml'), 'not a map any more');
  const child = launch(['serve', '--written'], folder);
  await says(child, 'Serving 8 roads');
  expect(await stop(child, 'SIGTERM')).toBe(0);
});
