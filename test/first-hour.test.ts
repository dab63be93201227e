import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
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
let folder: string;

beforeAll(async () => {
  makeNamespaces([machine]);
  within(machine, 'ip', 'addr', 'add', '203.0.113.24/32', 'dev', 'lo');
  // A network of its own beside, such as a tunnel is: what home means.
  within(machine, 'ip', 'addr', 'add', '192.168.64.10/24', 'dev', 'lo');
  const [tlsPort = 0] = await freePorts(1);
  engine = await startEngine(tlsPort, machine);
});
afterAll(async () => {
  await nginx.stop();
  await engine.stop();
  removeNamespaces([machine]);
});

function guideOf(page: string): Guide {
  return new Guide(page, [
    [/[0-9a-f]{12}/, 'ID'],
    [join(folder, 'machine/conf.d'), '/etc/nginx/conf.d'],
    [folder, '/srv'],
    [/\d{4}-\d\d-\d\d/, 'YYYY-MM-DD'],
    [/(?<=YYYY-MM-DD )\d\d:\d\d:\d\d/, 'HH:MM:SS'],
    // Of the machine that runs the test, and not of the one in the guide.
    [/\nserved by the installed httpd[^]*?:1\n(?=\n)/, ''],
    [/ +Up .*?(?= {2,})/, '   Up 2 minutes'],
    [/(?<=\n)\w{5}-\w{5}-\w{5}-\w{5}(?=\n)/, 'PASSWORD'],
  ]);
}

/** What a person types, and all that comes back: both streams on one, as a terminal has them. */
function inside(...argv: string[]): { code: number | null; out: string } {
  const env = { ...nginx.env, DOCKER_HOST: `unix://${engine.socket}`, HOME: folder };
  const words = ['-c', 'exec nsenter "$@" 2>&1', 'sh', '--net=/run/netns/mm-hour', ...argv];
  const { status, stdout } = spawnSync('sh', words, { cwd: join(folder, 'marsh'), env, encoding: 'utf8' });
  return { code: status, out: stdout };
}

function typed(guide: Guide, ...argv: string[]): Ran {
  const { code, out } = inside(process.execPath, program, ...argv);
  guide.add(`mile-marker ${argv.join(' ')}`, out);
  return { code, out, err: '' };
}

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
  folder = folderWith();
  mkdirSync(join(folder, 'marsh'));
  nginx = ownNginx(folder);
  const guide = guideOf('first-hour.md');
  const run = (...argv: string[]): Ran => typed(guide, ...argv);
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
    expect.stringMatching(/all\s+as\s+planned[^]*Edition 0001 is live\. [^]*3 of 3 roads work/),
  ]);
  const judged = run('verify', '--at', '203.0.113.24');
  expect([judged.code, judged.out]).toEqual([0, expect.stringContaining('3 of 3 roads work')]);
  guide.holds();
});

test('the guide, page by page', () => {
  const page = (name: string, ...lines: string[]): void => {
    const guide = guideOf(`guide/${name}.md`);
    for (const line of lines) {
      const [first = '', ...argv] = line.split(' ');
      if (first === 'mile-marker') expect([line, typed(guide, ...argv).code]).toEqual([line, 0]);
      else guide.add(line, inside(first, ...argv).out);
    }
    guide.holds();
  };
  const map = join(folder, 'marsh/mile-marker.yaml');
  const people =
    '\ngates:\n  wardens: {people: people/wardens.htpasswd, networks: [192.168.64.0/24], need: any}\n\nroads:';
  page('01-name-and-address', 'mile-marker dns records');
  page('02-way-in', 'head -n 11 .mile-marker/front/current/way-in.md');
  page('03-service', 'mile-marker survey');
  page('04-map', 'mile-marker roads --why', 'mile-marker check');
  page('05-certificate', 'mile-marker certs');
  page('06-live', 'mile-marker editions');
  page('07-look', 'mile-marker verify --at 203.0.113.24');
  page('08-repair-the-service', 'head -n 14 .mile-marker/services/nestcam.md');
  const text = readFileSync(map, 'utf8')
    .replace('\nroads:', people)
    .replace('roster: roster:8080', 'roster: {to: "roster:8080", gate: wardens}');
  writeFileSync(map, text);
  page(
    '09-restrict',
    'mile-marker people add edda --gate wardens --generate',
    'mile-marker devices add phone --gate keepers',
    'mile-marker devices remove phone',
    'mile-marker explain https://roster.saltmarsh.example/ --from 198.51.100.7',
  );
  page('10-strangers', 'mile-marker explain --all');
  page('11-live-with-it', 'mile-marker pause nestcam');
});

test('a device that is removed is refused by the live front at once', () => {
  const run = (...argv: string[]): string => {
    const { code, out } = inside(process.execPath, program, ...argv);
    expect([argv.join(' '), code, out]).toEqual([argv.join(' '), 0, expect.any(String)]);
    return out;
  };
  for (const name of ['laptop', 'tablet']) run('devices', 'add', name, '--gate', 'keepers', '--out', `${name}.p12`);
  run('set', 'gates.keepers.devices', '[laptop, tablet]');
  run('set', 'roster', 'gate', 'keepers');
  expect(run('install', '--yes')).toMatch(/Edition \d+ is live/);
  // With a certificate that bears the number of the one that was removed last, verify sees whether the front has read the list.
  expect(run('devices', 'remove', 'tablet')).toMatch(
    /tablet is removed\. The front refuses it from its next connection on\.\n.*names it no more/,
  );
  expect(run('verify', 'roster', '--at', '203.0.113.24')).toMatch(/1 of 1 roads? works?/);
  expect(run('install', '--yes')).toMatch(/Edition \d+ is live/);
});
