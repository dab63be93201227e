import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { makeNamespaces, removeNamespaces, within } from './support/network.ts';
import { ownNginx, type OwnNginx } from './support/own-nginx.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, program, type Ran } from './support/program.ts';
import { Guide } from './support/guide.ts';

/** From nothing to every name tested, on a machine with containers and an nginx, in a network of its own on the real ports. */

const machine = 'mm-hour';
let engine: RunningEngine;
let nginx: OwnNginx;

beforeAll(async () => {
  makeNamespaces([machine]);
  within(machine, 'ip', 'addr', 'add', '203.0.113.24/32', 'dev', 'lo');
  const [tlsPort = 0] = await freePorts(1);
  engine = await startEngine(tlsPort, machine);
});
// Its folder is gone after all.
afterEach(() => nginx.stop());
afterAll(async () => {
  await engine.stop();
  removeNamespaces([machine]);
});

test('four commands, no editor', () => {
  for (const [name, port] of [
    ['bird-log', 8081],
    ['nestcam', 8082],
    ['roster', 8083],
  ] as const)
    engine.docker(
      'run',
      '-d',
      '--name',
      name,
      '--hostname',
      name,
      '-p',
      `127.0.0.1:${String(port)}:8080`,
      'observatory/pages',
    );
  const folder = folderWith();
  mkdirSync(join(folder, 'marsh'));
  nginx = ownNginx(folder);
  const guide = new Guide('first-hour.md', [
    [/[0-9a-f]{12}/, 'ID'],
    [join(folder, 'machine/conf.d'), '/etc/nginx/conf.d'],
    [/\d{4}-\d\d-\d\d/, 'DATE'],
    [/ +Up .*?(?= {2,})/, '   Up 2 minutes'],
  ]);
  const run = (...argv: string[]): Ran => {
    const inside = ['--net=/run/netns/mm-hour', process.execPath, program, ...argv];
    const env = { ...nginx.env, DOCKER_HOST: `unix://${engine.socket}`, HOME: folder };
    // Both on one stream, as a terminal has them.
    const { status, stdout } = spawnSync('sh', ['-c', 'exec nsenter "$@" 2>&1', 'sh', ...inside], {
      ...{ cwd: join(folder, 'marsh'), env, encoding: 'utf8' as const },
    });
    guide.add(`mile-marker ${argv.join(' ')}`, stdout);
    return { code: status, out: stdout, err: '' };
  };
  guide.add(
    "docker ps --format 'table {{.Names}}\\t{{.Ports}}'",
    engine.docker('ps', '--format', 'table {{.Names}}\t{{.Ports}}'),
  );
  const first = run(
    'init',
    '--from',
    'containers',
    '--domain',
    'saltmarsh.example',
    '--address',
    '203.0.113.24',
    '--proxy',
    'nginx',
  );
  expect([first.code, first.out]).toEqual([0, expect.stringMatching(/bird-log[^]*nestcam[^]*roster/)]);
  expect(run('certs', 'make').code).toBe(0);
  const live = run('install', '--yes');
  expect([live.code, live.out]).toEqual([
    0,
    expect.stringMatching(/all as\s+meant[^]*Edition 0001 is live\. [^]*3 of 3 roads well/),
  ]);
  const judged = run('verify', '--at', '203.0.113.24');
  expect([judged.code, judged.out]).toEqual([0, expect.stringContaining('3 of 3 roads well')]);
  guide.holds();
});
