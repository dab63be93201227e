import http from 'node:http';
import https from 'node:https';
import net from 'node:net';
import { chmodSync, cpSync, existsSync, readFileSync, readlinkSync, rmSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { spawn } from 'node:child_process';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import {
  ended,
  folderWith,
  launch,
  mileMarker,
  mileMarkerProcess,
  program,
  says,
  stop,
  type Ran,
} from './support/program.ts';

/** Everything about what really runs, against a real container engine. */

let engine: RunningEngine;
let site: string;
let ports: number[];

const name = (road: string): string => `${road}.saltmarsh.example`;

/** As people have them: anchors, both syntaxes, a variable, two networks, and a service name that another project has too. */
const composeText = (published: number): string => `name: observatory
version: "3.8"
x-usual: &usual
  image: observatory/pages
  restart: unless-stopped
services:
  bird-log:
    <<: *usual
    ports: ["127.0.0.1:\${LOG_PORT:-${String(published)}}:8080"]
  nestcam:
    <<: *usual
    networks: {reeds: {aliases: [camera]}}
  roster:
    <<: *usual
    restart: "no"
  tides:
    <<: *usual
    command: ["/bin/sh", "-c", "exit 3"]
    restart: "no"
  never:
    <<: *usual
    profiles: [winter]
  sidecar:
    <<: *usual
    network_mode: service:bird-log
    command: ["/bin/sleep", "600"]
networks:
  reeds: {}
`;

beforeAll(async () => {
  ports = await freePorts(6);
  const [tlsPort = 0, published = 0, office = 0, open = 0] = ports;
  engine = await startEngine(tlsPort);
  site = folderWith({
    'compose.yaml': composeText(published),
    'office/docker-compose.yaml': `name: marsh-office\nservices:\n  roster:\n    image: observatory/pages\n    restart: always\n    ports:\n      - target: 8080\n        published: ${String(office)}\n`,
  });
  // This program of Debian knows the key \`name\` of the specification only as an option.
  const text = composeText(published).replace('name: observatory\n', '');
  writeFileSync(join(site, 'run.yaml'), text);
  engine.compose(site, '-p', 'observatory', '-f', 'run.yaml', 'up', '-d');
  const officeText = readFileSync(join(site, 'office/docker-compose.yaml'), 'utf8').replace('name: marsh-office\n', '');
  writeFileSync(join(site, 'office/run.yaml'), officeText);
  engine.compose(join(site, 'office'), '-p', 'marsh-office', '-f', 'run.yaml', 'up', '-d');
  chmodSync(site, 0o755);
  engine.docker(
    'run',
    '-d',
    '--name',
    'gull-count',
    '-p',
    `${String(open)}:8080`,
    '--label',
    'mile-marker.road={name: gulls, gate: everyone}',
    'observatory/pages',
  );
  engine.docker(
    'run',
    '-d',
    '--name',
    'ringing-db',
    '--network',
    'observatory_default',
    '--network-alias',
    'db',
    '-l',
    'a=b',
    'observatory/pages',
  );
  engine.docker('tag', 'observatory/pages', 'postgres:16');
  engine.docker('run', '-d', '--name', 'moult-db', 'postgres:16');
});

afterAll(async () => {
  await engine.stop();
});

/** A map in the site's folder; `front` and `roads` are YAML lines. */
function writeMap(roads: string, { front = '', address = '' } = {}): void {
  const [, , , , http = 0, https = 0] = ports;
  const from = address === '' ? `unix://${engine.socket}` : address;
  writeFileSync(
    join(site, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]\nfront:\n  address: 127.0.0.1\n  ports: {http: ${String(http)}, https: ${String(https)}}\n  home-networks: [127.0.0.0/8, 172.16.0.0/12, 192.168.0.0/16]\n${front}compose: [compose.yaml, office/docker-compose.yaml]\nengine: ${from}\nroads:\n${roads}`,
  );
}

interface Listens {
  inside: number;
  published: { address: string | null; port: number } | null;
  isSeen: boolean | null;
}

const listensWords = ({ inside, published, isSeen }: Listens): string =>
  `${String(inside)}${published === null ? '' : ` on ${published.address ?? 'every address'}:${String(published.port)}`}${isSeen === null ? '' : isSeen ? ', seen' : ', silent'}`;

interface Surveyed {
  name: string;
  state: string;
  exitCode: number | null;
  profiles: string[];
  inNoFile: boolean;
  listens: Listens[];
  roads: string[];
  apart: string | null;
}

const stateOf = ({ state, exitCode, profiles, inNoFile }: Surveyed): string =>
  [state, ...(exitCode === null ? [] : [String(exitCode)]), ...profiles, ...(inNoFile ? ['in no file'] : [])].join(' ');

interface Survey {
  projects: Array<{
    project: string | null;
    services: Array<Surveyed>;
  }>;
  nowhere: Array<{ road: string; why: string }>;
  proposals: Array<{ key: string; service: string; ports: number[]; wish: string | null }>;
  passedOver: Array<{ service: string; why: string }>;
}

async function survey(env: Record<string, string> = {}): Promise<Survey> {
  const { code, out, err } = await mileMarker(['survey', '--json'], site, env);
  expect([code, err]).toEqual([0, '']);
  return JSON.parse(out) as Survey;
}

const roads = `  sightings: bird-log:8080
  roster: marsh-office/roster:8080
  tides: tides:8080
`;

test('the survey shows what runs, what is declared and does not, and the reverse', async () => {
  writeMap(roads);
  const { projects, nowhere, proposals, passedOver } = await survey();
  const [, published, office, open] = ports.map(String);
  const shown = projects.map(({ project, services }) => [
    project,
    services.map((one) => [one.name, stateOf(one), one.listens.map(listensWords), one.roads]),
  ]);
  const undeclared = 'running in no file';
  expect(shown).toEqual([
    ['marsh-office', [['roster', 'running', [`8080 on every address:${office ?? ''}, seen`], [name('roster')]]]],
    [
      'observatory',
      [
        ['bird-log', 'running', [`8080 on 127.0.0.1:${published ?? ''}, seen`], [name('sightings')]],
        ['nestcam', 'running', ['8080, seen'], []],
        ['never', 'none winter', [], []],
        ['roster', 'running', ['8080, seen'], []],
        ['sidecar', 'running', ['8080, seen'], []],
        ['tides', 'exited 3', ['8080'], [name('tides')]],
      ],
    ],
    [
      null,
      [
        ['gull-count', undeclared, [`8080 on every address:${open ?? ''}, seen`], []],
        ['moult-db', undeclared, ['8080, seen'], []],
        ['ringing-db', undeclared, ['8080, seen'], []],
      ],
    ],
  ]);
  expect(nowhere).toEqual([
    { road: name('tides'), to: 'tides:8080', why: 'observatory/tides does not publish that port' },
  ]);
  expect(proposals).toEqual([
    { key: 'sidecar', name: name('sidecar'), service: 'sidecar', ports: [8080], wish: null },
    { key: 'gulls', name: name('gulls'), service: 'gull-count', ports: [8080], wish: 'everyone' },
  ]);
  expect(passedOver.map(({ service, why }) => `${service}: ${why.split(';')[0] ?? ''}`)).toEqual([
    'observatory/nestcam: it publishes no port 8080 that the front reaches. Add under its `ports`: - "127.0.0.1:8080:8080"',
    'observatory/roster: it publishes no port 8080 that the front reaches. Add under its `ports`: - "127.0.0.1:8080:8080"',
    'observatory/never: it does not run',
    'moult-db: its image is a database',
    'ringing-db: it publishes no port 8080 that the front reaches. Add under its `ports`: - "127.0.0.1:8080:8080"',
  ]);
});

test('where a program really listens inside counts more than what its image says', async () => {
  const [, , , , , , late = 0] = [...ports, ...(await freePorts(1))];
  const publishes = ['-p', `127.0.0.1:${String(late)}:8080`];
  engine.docker('run', '-d', '--name', 'owl-box', ...publishes, 'observatory/pages', 'httpd', '-f', '-p', '3000');
  engine.docker('run', '-d', '--name', 'shy', 'observatory/pages', 'httpd', '-f', '-p', '127.0.0.1:8080');
  writeMap('  owls: owl-box:8080\n  shy: shy:8080\n');
  const told = async (): Promise<string[]> => {
    const { out } = await mileMarker(['check', '--json'], site);
    const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; message: string; remedy: string }> };
    return findings.flatMap(({ rule, message, remedy }) =>
      rule === 'service-not-listening' ? [`${message} | ${remedy}`] : [],
    );
  };
  let words = await told();
  // The programs have just been started.
  for (let tries = 0; tries < 50 && words.some((one) => one.includes('nothing listens inside')); tries += 1)
    words = await told();
  expect(words).toEqual([
    `\`owls\` leads to port 8080 of \`owl-box\`, but nothing listens there inside the container. It listens on 3000. | Write \`to: owl-box:3000\`, and under \`ports\` of the service: - "127.0.0.1:${String(late)}:3000".`,
    '`shy` leads to port 8080 of `shy`, which listens only on loopback inside its container. | In the settings of the service let it listen on every address: 0.0.0.0',
  ]);
  engine.docker('rm', '-f', 'owl-box', 'shy');
});

test('check says of each road what the engine knows', async () => {
  writeMap(`${roads}  camera: nestcam:8080\n  gulls: gull-count:8080\n`);
  await mileMarker(['certs', 'make'], site);
  const { code, out } = await mileMarker(['check', '--json'], site);
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; roads: string[] }> };
  expect(findings.map(({ rule, roads: broken }) => `${rule} ${broken.join()}`).sort()).toEqual([
    'container-without-road ',
    // The map's own `home-networks` take in the engine's networks.
    `gate-includes-container-network ${['sightings', 'roster', 'tides', 'camera', 'gulls'].map(name).join()}`,
    `no-restart-policy ${name('gulls')}`,
    `no-restart-policy ${name('tides')}`,
    `port-not-published ${name('camera')}`,
    `port-not-published ${name('tides')}`,
    `service-published-to-everyone ${name('gulls')}`,
    `service-published-to-everyone ${name('roster')}`,
    `service-stopped ${name('tides')}`,
  ]);
  expect(code).toBe(1);
});

test('the engine answers over TCP with TLS too, by the environment', async () => {
  writeMap(roads);
  const over = {
    DOCKER_HOST: `tcp://127.0.0.1:${String(engine.tls.port)}`,
    DOCKER_TLS_VERIFY: '1',
    DOCKER_CERT_PATH: engine.tls.certificates,
  };
  writeMap(roads, { address: 'none' });
  const text = join(site, 'mile-marker.yaml');
  expect((await mileMarker(['survey', '--json'], site, over)).out).toContain('"asked": false');
  writeMap(roads, { address: `tcp://127.0.0.1:${String(engine.tls.port)}` });
  expect((await survey({ ...over, DOCKER_HOST: '' })).projects).toHaveLength(3);
  const wrong = await mileMarker(['survey', '--map', text], site, { ...over, DOCKER_CERT_PATH: site });
  expect([wrong.code, wrong.err]).toEqual([3, expect.stringContaining('has no ca.pem, cert.pem and key.pem')]);
  const plain = await mileMarker(['survey'], site);
  expect([plain.code, plain.err]).toEqual([3, expect.stringContaining('wants TLS')]);
});

test('a container that goes while it is read is left out', async () => {
  engine.docker('run', '-d', '--name', 'mayfly', 'observatory/pages');
  const socket = join(site, 'relay.sock');
  let removed = 0;
  // Between the list and the question about it, the container dies for real.
  const relay = http.createServer((request, response) => {
    const forward = (): void => {
      const upstream = http.request({ socketPath: engine.socket, path: request.url }, (answer) => {
        response.writeHead(answer.statusCode ?? 0, answer.headers);
        answer.pipe(response);
      });
      upstream.end();
    };
    if (removed === 0 && /^\/containers\/[0-9a-f]+\/json/.test(request.url ?? '')) {
      removed += 1;
      engine.docker('rm', '-f', 'mayfly');
    }
    forward();
  });
  await new Promise<void>((resolve) => relay.listen(socket, resolve));
  try {
    writeMap(roads, { address: `unix://${socket}` });
    const names = (await survey()).projects.flatMap(({ services }) => services.map((service) => service.name));
    expect(removed).toBe(1);
    expect(names).toContain('gull-count');
    expect(names).not.toContain('mayfly');
  } finally {
    relay.closeAllConnections();
    relay.close();
  }
});

/** The program as a user who may not use the engine's socket, from a copy that this user may read. */
async function asNobody(argv: string[]): Promise<Ran> {
  const copy = join(site, 'program');
  if (!existsSync(copy)) cpSync(join(__dirname, '../dist'), copy, { recursive: true });
  const env = { PATH: process.env['PATH'] ?? '', HOME: site };
  return ended(
    spawn(process.execPath, [join(copy, 'mile-marker.js'), ...argv], { cwd: '/', env, uid: 65534, gid: 65534 }),
  );
}

test.each([
  ['gone', 'unix:///nowhere/engine.sock', 'cannot be reached at unix:///nowhere/engine.sock: it does not exist.'],
  ['an ordinary file', '', 'cannot be reached at'],
])('a socket that is %s is told with exit code 3', async (_, given, words) => {
  writeFileSync(join(site, 'file.sock'), '');
  writeMap(roads.replace(/ {2}tides.*\n/, ''), { address: given === '' ? `unix://${site}/file.sock` : given });
  const looked = await mileMarker(['survey'], site);
  expect([looked.code, looked.out, looked.err]).toEqual([3, '', expect.stringContaining(words)]);
  const checked = await mileMarker(['check', '--json'], site);
  const { findings } = JSON.parse(checked.out) as { findings: Array<{ rule: string; severity: string }> };
  expect(findings.filter(({ severity }) => severity === 'error').map(({ rule }) => rule)).toEqual([
    'engine-unanswered',
  ]);
  expect(checked.code).toBe(3);
});

test('a socket that one may not use is told with exit code 3, and what using it would mean', async () => {
  writeMap(roads);
  const { code, out, err } = await asNobody(['survey', '--map', join(site, 'mile-marker.yaml')]);
  expect([code, out]).toEqual([3, '']);
  expect(err).toContain('Permission denied: the container engine');
  expect(err).toContain('has root rights on this machine');
});

test('whatever else answers there is told, also when it gives no answer', async () => {
  const odd = await listening(
    http.createServer((_, response) => response.end('<html>hello</html>')),
    0,
  );
  const mute = await listening(net.createServer(), 0);
  try {
    writeMap(roads, { address: `tcp://127.0.0.1:${String(portOf(odd))}` });
    const first = await mileMarker(['survey'], site);
    expect([first.code, first.err]).toEqual([3, expect.stringContaining('does not seem to be a container engine')]);
    writeMap(roads, { address: `tcp://127.0.0.1:${String(portOf(mute))}` });
    const second = await mileMarker(['survey'], site);
    expect([second.code, second.err]).toEqual([3, expect.stringContaining('does not answer within 5 seconds')]);
  } finally {
    odd.close();
    mute.close();
  }
});

describe('a front in a container', () => {
  const front = '  proxy: nginx\n  container: front\n';
  const inside =
    '  sightings: bird-log:8080\n  camera: nestcam:8080\n  roster: {to: "marsh-office/roster:8080", gate: everyone}\n';

  test('is made by write --compose, reaches its services by name, also after a restart that changes their address', async () => {
    writeMap(inside, { front });
    await mileMarker(['certs', 'make'], site);
    const written = await mileMarker(['write', '--compose'], site);
    expect([written.code, written.err]).toEqual([
      0,
      expect.stringContaining('docker-compose -f front.compose.yaml up -d'),
    ]);
    expect(written.out).toContain('office/docker-compose.yaml:7  roster\n');
    expect(written.out).toContain('remove it: the front needs no published port');
    engine.compose(site, '-p', 'front', '-f', 'front.compose.yaml', 'up', '-d');
    await untilHealthy();
    expect(await answers()).toEqual(hosts());
    const before = addressOf('observatory_nestcam_1');
    engine.docker('stop', '-t', '0', 'observatory_nestcam_1');
    engine.docker('run', '-d', '--name', 'squatter', '--network', 'observatory_reeds', 'observatory/pages');
    engine.docker('start', 'observatory_nestcam_1');
    // The engine hands out the lowest address that is free.
    expect(addressOf('squatter')).toBe(before);
    await untilAnswers(hosts());
    const verified = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], site);
    const { findings } = JSON.parse(verified.out) as { findings: Array<{ severity: string; rule: string }> };
    expect(findings.filter(({ severity }) => severity !== 'note')).toEqual([]);
    engine.docker('rm', '-f', 'squatter');
  });

  test('is made, brought live, moved on, taken back and stopped by install and undo', async () => {
    rmSync(join(site, 'front.compose.yaml'), { force: true });
    engine.docker('rm', '-f', 'front');
    const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, site);
    const live = async (): Promise<string> => (await run('check', '--installed')).out;
    writeMap(inside, { front });
    await run('certs', 'make');
    const first = await run('install', '--yes');
    expect([first.code, first.err]).toEqual([
      0,
      expect.stringMatching(/is live\. At the front itself: 3 of 3 roads work/),
    ]);
    expect(first.out).toContain('front.compose.yaml');
    expect(await answers()).toEqual(hosts());
    expect(await live()).not.toMatch(/front-not-live|edition-changed|map-not-live/);
    // Nothing is left to do, and that is said.
    expect((await run('check')).err).toMatch(/The front runs this map|Nothing needs doing/);
    expect((await run('install', '--yes')).err).toContain('is live already');

    writeMap(inside.replace('camera:', 'lens:'), { front });
    await run('write');
    expect(await live()).toContain('front-not-live');
    // Which brings it live by itself, where an installation stands.
    await run('certs', 'make');
    expect((await run('install', '--yes', '--no-rehearsal')).code).toBe(0);
    expect((await answers())[1]).not.toBe(hosts()[1]);
    expect((await run('undo', 'front', '--yes')).err).toMatch(/Live now: edition 000\d/);
    expect(await answers()).toEqual(hosts());

    // What the server inside refuses is never switched to.
    const written = join(site, '.mile-marker/front');
    const current = readlinkSync(join(written, 'current'));
    writeMap(inside.replace('gate: everyone', 'gate: everyone, body-limit: 1MiB'), { front });
    const key = join(site, '.mile-marker/certificates', name('camera'), 'current/key.pem');
    // Who has no rights but his own may not read it, though root of this machine may.
    chmodSync(key, 0o000);
    const refused = await run('install', '--yes', '--no-rehearsal');
    chmodSync(key, 0o600);
    expect([refused.code, refused.err]).toEqual([
      3,
      expect.stringMatching(/does not accept edition 000\d: [^]*key\.pem[^]*Live now: edition 000\d, as before/),
    ]);
    expect(readlinkSync(join(written, 'current'))).toBe(current);
    expect(await answers()).toEqual(hosts());
    expect(engine.docker('ps', '-a', '--format', '{{.Names}}').match(/front/g)).toHaveLength(1);

    for (let left = 5; left > 0; left -= 1)
      if (/nothing of this map/.test((await run('undo', 'front', '--yes')).err)) break;
    expect(engine.docker('inspect', '--format', '{{.State.Running}}', 'front').trim()).toBe('false');
  });

  test('is our own program just so', async () => {
    rmSync(join(site, 'front.compose.yaml'), { force: true });
    engine.docker('rm', '-f', 'front');
    const own = front.replace('nginx', 'builtin');
    writeMap(inside, { front: own });
    const run = (...argv: string[]): Promise<Ran> => mileMarkerProcess(argv, site, { MILE_MARKER_PATIENCE: '20' });
    await run('certs', 'make');
    const spoiled = folderWith();
    cpSync(dirname(program), spoiled, { recursive: true });
    const main = join(spoiled, basename(program));
    writeFileSync(
      main,
      readFileSync(main, 'utf8').replace('\n', '\nif (process.argv[2] === "serve") throw "a spring tide";\n'),
    );
    const child = spawn(process.execPath, [main, 'install', '--yes', '--no-rehearsal'], {
      cwd: site,
      env: { ...process.env, MILE_MARKER_PATIENCE: '12' },
    });
    const astray = await ended(child);
    expect([astray.code, astray.err.replace(/\s+/g, ' ')]).toEqual([
      3,
      expect.stringMatching(/It said last: [^]*Live now: nothing of this map/),
    ]);
    const first = await run('install', '--yes');
    expect([first.code, first.err]).toEqual([
      0,
      expect.stringMatching(/is live\. At the front itself: 3 of 3 roads work/),
    ]);
    expect(await answers()).toEqual(hosts());
    writeMap(inside.replace('camera:', 'lens:'), { front: own });
    await run('certs', 'make', '--no-reload');
    expect((await run('install', '--yes', '--no-rehearsal')).code).toBe(0);
    expect((await answers())[1]).not.toBe(hosts()[1]);
    expect((await run('undo', 'front', '--yes')).err).toMatch(/Live now: edition 000\d/);
    expect(await answers()).toEqual(hosts());
    for (let left = 5; left > 0; left -= 1)
      if (/nothing of this map/.test((await run('undo', 'front', '--yes')).err)) break;
    expect(engine.docker('inspect', '--format', '{{.State.Running}}', 'front').trim()).toBe('false');
  });

  test.each(['haproxy', 'httpd'])('is %s just so', async (proxy) => {
    rmSync(join(site, 'front.compose.yaml'), { force: true });
    engine.docker('rm', '-f', 'front');
    const own = front.replace('nginx', proxy);
    const pages = 'pages: {down: down.html}\n';
    writeFileSync(join(site, 'down.html'), 'the tide is in');
    const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, site);
    writeMap(inside, { front: own });
    await run('certs', 'make');
    const first = await run('install', '--yes');
    expect([first.code, first.err]).toEqual([
      0,
      expect.stringMatching(/is live\. At the front itself: 3 of 3 roads work/),
    ]);
    await untilHealthy();
    expect(await answers()).toEqual(hosts());
    writeMap(`${inside.replace('camera:', 'lens:')}${pages}`, { front: own });
    await run('certs', 'make', '--no-reload');
    expect((await run('install', '--yes', '--no-rehearsal')).code).toBe(0);
    expect((await answers())[1]).not.toBe(hosts()[1]);
    expect((await run('undo', 'front', '--yes')).err).toMatch(/Live now: edition 000\d/);
    expect(await answers()).toEqual(hosts());
    for (let left = 5; left > 0; left -= 1)
      if (/nothing of this map/.test((await run('undo', 'front', '--yes')).err)) break;
    expect(engine.docker('inspect', '--format', '{{.State.Running}}', 'front').trim()).toBe('false');
  });

  test('its roads to loopback, to host networks and to networks of others are errors, with the lines to write', async () => {
    engine.docker('network', 'create', 'elsewhere');
    engine.docker('run', '-d', '--name', 'far', '--network', 'elsewhere', '--restart', 'always', 'observatory/pages');
    engine.docker(
      'run',
      '-d',
      '--name',
      'bare',
      '--network',
      'host',
      '--restart',
      'always',
      'observatory/pages',
      '/bin/sleep',
      '600',
    );
    const address = addressOf('observatory_nestcam_1');
    writeMap(`${inside}  workbench: :9400\n  bare: bare:8080\n  far: far:8080\n  direct: http://${address}:8080\n`, {
      front,
    });
    const { out } = await mileMarker(['check'], site);
    const flat = out.replace(/\s+/g, ' ');
    for (const words of [
      '`workbench` leads to port 9400 of this machine, but the front runs in the container `front`',
      "`bare` leads to `bare`, which shares this machine's network",
      '`far` is on elsewhere, and the front `front` on',
      'Under `networks` of the front add `elsewhere` (external: true)',
      `${address}:8080 is now \`observatory/nestcam\`, on the container network observatory_reeds. do: Write \`to: observatory/nestcam:8080\``,
      "shares this machine's network (network_mode: host): port 8080 can be reached past the front",
    ])
      expect(flat).toContain(words);
  });

  test('never replaces a Compose file of somebody else', async () => {
    writeMap(inside, { front });
    rmSync(join(site, 'front.compose.yaml'));
    writeFileSync(join(site, 'front.compose.yaml'), 'services: {}\n');
    const { code, err } = await mileMarker(['write', '--compose'], site);
    expect([code, err]).toEqual([2, expect.stringContaining('was not written by Mile Marker')]);
  });

  test('starts before its services, outlives the engine, and is kept up to date by follow', async () => {
    rmSync(join(site, 'front.compose.yaml'), { force: true });
    engine.docker('rm', '-f', 'front');
    const services = ['observatory_bird-log_1', 'observatory_nestcam_1', 'marsh-office_roster_1'];
    engine.docker('start', ...services);
    writeMap(`${inside}labels: {obey: lab.saltmarsh.example}\n`, { front });
    await mileMarker(['certs', 'make'], site);
    expect((await mileMarker(['install', '--yes', '--no-rehearsal'], site)).err).toContain('3 of 3 roads work');
    // As after a reboot, where nothing waits for anything.
    engine.docker('stop', '-t', '0', 'front', ...services);
    engine.docker('start', 'front');
    // Nobody is led to the roster of the other project, which runs.
    expect(engine.docker('inspect', '--format', '{{.State.Running}}', 'observatory_roster_1').trim()).toBe('true');
    await untilAnswers(['502', '502', '502']);
    engine.docker('start', ...services);
    await untilAnswers(hosts());
    await engine.restart();
    engine.docker('start', ...services);
    await untilAnswers(hosts());

    const child = launch(['follow'], site);
    await says(child, '3 roads: ');
    const label = 'mile-marker.road={name: gulls.lab.saltmarsh.example}';
    const isNew = says(child, 'gulls.lab.saltmarsh.example: new, leads to gulls at gulls:8080, by the label of gulls');
    engine.docker('run', '-d', '--name', 'gulls', '--network', 'observatory_reeds', '-l', label, 'observatory/pages');
    await isNew;
    expect(await answer('gulls.lab')).toBe(engine.docker('inspect', '-f', '{{.Config.Hostname}}', 'gulls').trim());
    const isGone = says(child, 'gulls.lab.saltmarsh.example: gone');
    engine.docker('rm', '-f', 'gulls');
    await isGone;
    expect(await answers()).toEqual(hosts());
    expect(await stop(child, 'SIGTERM')).toBe(0);
  });

  /** The server may remember an old address for five seconds. */
  async function untilAnswers(wanted: string[]): Promise<void> {
    let seen: string[] = [];
    for (let tries = 0; tries < 80 && String(seen) !== String(wanted); tries += 1) {
      seen = await answers();
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
    expect(seen).toEqual(wanted);
  }

  async function untilHealthy(): Promise<void> {
    for (let tries = 0; tries < 120; tries += 1) {
      if (engine.docker('inspect', '--format', '{{.State.Health.Status}}', 'front').trim() === 'healthy') return;
      await new Promise((resolve) => setTimeout(resolve, 500));
    }
    throw new Error(engine.docker('logs', 'front'));
  }

  const addressOf = (container: string): string =>
    engine.docker('inspect', '--format', '{{range .NetworkSettings.Networks}}{{.IPAddress}}{{end}}', container).trim();

  const hosts = (): string[] =>
    ['observatory_bird-log_1', 'observatory_nestcam_1', 'marsh-office_roster_1'].map((container) =>
      engine.docker('inspect', '--format', '{{.Config.Hostname}}', container).trim(),
    );

  /** What each road shows through the front: the name of the container that was reached. */
  function answers(): Promise<string[]> {
    return Promise.all(['sightings', 'camera', 'roster'].map(answer));
  }

  function answer(road: string): Promise<string> {
    return new Promise<string>((resolve) => {
      const request = https.get(
        {
          host: '127.0.0.1',
          port: ports[5],
          servername: name(road),
          headers: { host: `${name(road)}:${String(ports[5])}` },
          agent: false,
          rejectUnauthorized: false,
        },
        (answer) => {
          let body = '';
          answer.setEncoding('utf8').on('data', (text: string) => (body += text));
          answer.on('end', () => resolve(answer.statusCode === 200 ? body.trim() : String(answer.statusCode)));
        },
      );
      request.on('error', (error) => resolve(error.message));
    });
  }
});
