import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { makeNamespaces, reaches, removeNamespaces, until, wire, within } from './support/network.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';

/**
 * The rules for the firewall, loaded by the real program in a network of its own: a machine with a container engine, a stranger
 * outside, and a device at home.
 */

const machine = 'mm-machine';
const stranger = 'mm-stranger';
const atHome = 'mm-home';
const namespaces = [machine, stranger, atHome];
const outside = '203.0.113.24';
const inside = '192.168.64.10';

let engine: RunningEngine;
let listeners: ChildProcess[] = [];

beforeAll(async () => {
  makeNamespaces(namespaces);
  wire({ machine, to: stranger, here: [`${outside}/24`], there: ['203.0.113.9/24'], port: 'wan' });
  wire({ machine, to: atHome, here: [`${inside}/24`], there: ['192.168.64.20/24'], port: 'lan' });
  const [tlsPort = 0] = await freePorts(1);
  engine = await startEngine(tlsPort, machine);
  engine.docker('run', '-d', '--name', 'tide-tables', '-p', '8081:8080', 'observatory/pages');
  // What the machine itself listens on: the front, an SSH server, and a console that nobody should see.
  listeners = [443, 22, 9000].map((port) =>
    spawn('/usr/sbin/ip', [
      'netns',
      'exec',
      machine,
      process.execPath,
      '-e',
      `require('net').createServer((s) => s.on('error', () => 0).end('open')).listen(${String(port)})`,
    ]),
  );
  await until(() => [443, 22, 9000].every((port) => reaches(atHome, inside, port)) && reaches(stranger, outside, 8081));
});

afterAll(async () => {
  for (const child of listeners) child.kill('SIGKILL');
  await engine.stop();
  removeNamespaces(namespaces);
});

async function rulesFor(front: string): Promise<{ file: string; folder: string }> {
  const text = `domains: [saltmarsh.example]\nfront:\n  proxy: nginx\n${front}roads:\n  www: ":9"\n`;
  const folder = folderWith({ 'mile-marker.yaml': text });
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  return { file: join(folder, '.mile-marker/front/current/way-in.nft'), folder };
}

const seen = (from: string, host: string): number[] =>
  [443, 22, 9000, 8081].filter((port) => reaches(from, host, port));

test('behind a router: strangers reach the front alone, home reaches everything, other tables stay, and it can be taken away', async () => {
  const front = `  address: ${outside}\n  home: [${inside}]\n  home-networks: [192.168.64.0/24, 192.168.0.0/16, "fd40:64::/48"]\n`;
  const { file, folder } = await rulesFor(front);
  const others = (): string => within(machine, 'nft', 'list', 'tables').stdout;
  const before = others();
  expect(seen(stranger, outside)).toEqual([443, 22, 9000, 8081]);
  for (let times = 0; times < 2; times += 1)
    expect(within(machine, 'nft', '-f', file)).toMatchObject({ status: 0, stderr: '' });
  expect(seen(stranger, outside)).toEqual([443]);
  expect(seen(atHome, inside)).toEqual([443, 22, 9000, 8081]);
  // Containers still reach the machine and each other.
  expect(engine.docker('exec', 'tide-tables', 'wget', '-q', '-O', '-', `http://${inside}:8081/`)).not.toBe('');
  expect(others()).toBe(`${before}table inet mile_marker\n`);
  within(machine, 'nft', 'delete', 'table', 'inet', 'mile_marker');
  expect(seen(stranger, outside)).toEqual([443, 22, 9000, 8081]);
  const page = readFileSync(join(folder, '.mile-marker/front/current/way-in.md'), 'utf8');
  expect(page).toContain('| 443 | TCP | 192.168.64.10 | 443 | HTTPS |');
  expect(page).toContain('mile-marker install firewall --keep');
});

test('with an edge in front only the edge reaches the front', async () => {
  const { file } = await rulesFor(
    `  address: ${outside}\n  home-networks: [192.168.64.0/24]\n  edge: {networks: [203.0.113.64/26]}\n`,
  );
  within(machine, 'nft', '-f', file);
  expect(seen(stranger, outside)).toEqual([]);
  within(stranger, 'ip', 'addr', 'del', '203.0.113.9/24', 'dev', 'eth0');
  within(stranger, 'ip', 'addr', 'add', '203.0.113.70/24', 'dev', 'eth0');
  expect(seen(stranger, outside)).toEqual([443]);
  within(stranger, 'ip', 'addr', 'del', '203.0.113.70/24', 'dev', 'eth0');
  within(stranger, 'ip', 'addr', 'add', '203.0.113.9/24', 'dev', 'eth0');
  within(machine, 'nft', 'delete', 'table', 'inet', 'mile_marker');
});

test('what is established goes on when the rules are loaded', async () => {
  const { file } = await rulesFor(`  address: ${outside}\n  home-networks: [192.168.64.0/24]\n`);
  const stays = `const s = require('net').connect({ host: '${outside}', port: 8081 }, () => console.log('connected'));
s.on('data', (d) => { console.log('answered'); process.exit(0); }); setTimeout(() => process.exit(1), 5000);
process.stdin.once('data', () => s.write('GET / HTTP/1.0\\r\\n\\r\\n'));`;
  const child = spawn('/usr/sbin/ip', ['netns', 'exec', stranger, process.execPath, '-e', stays]);
  await new Promise((resolve) => child.stdout.once('data', resolve));
  within(machine, 'nft', '-f', file);
  child.stdin.write('now\n');
  expect(await new Promise((resolve) => child.once('close', resolve))).toBe(0);
  within(machine, 'nft', 'delete', 'table', 'inet', 'mile_marker');
});

test('install loads the rules on trial: they go away by themselves, are kept on request, and come back after a later trial', async () => {
  const front = (ports: string): string =>
    `domains: [saltmarsh.example]\nfront:\n  proxy: nginx\n  address: ${outside}\n  home-networks: [192.168.64.0/24]\n${ports}roads:\n  www: ":9"\n`;
  const folder = folderWith({ 'mile-marker.yaml': front('') });
  const program = join(__dirname, '../dist/mile-marker.js');
  const journal = join(folder, '.mile-marker/firewall/journal.jsonl');
  const run = (...argv: string[]): { status: number | null; stderr: string } =>
    within(machine, process.execPath, program, ...argv, '--map', join(folder, 'mile-marker.yaml'));

  expect(run('install', 'firewall')).toMatchObject({ status: 2, stderr: expect.stringContaining('mile-marker write') });
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  expect(run('install', 'firewall', '--keep').stderr).toContain('No rules are on trial');

  // What a trial does while it stands is looked at during a long one, so that a slow machine sees the same as a fast one.
  expect(run('install', 'firewall', '--minutes', '3')).toMatchObject({ status: 0 });
  expect(seen(stranger, outside)).toEqual([443]);
  expect(run('install', 'firewall', '--minutes', '0.05')).toMatchObject({ status: 0 });
  await until(() => reaches(stranger, outside, 9000));
  expect(run('install', 'firewall', '--keep').status).toBe(2);

  run('install', 'firewall', '--minutes', '3');
  expect(run('install', 'firewall', '--keep').stderr).toMatch(/The rules are kept.*nft -f .*kept\.nft/s);
  const { trial } = JSON.parse(readFileSync(journal, 'utf8').trim().split('\n').at(-1) ?? '') as { trial: string };
  // What the machine runs when the time of the trial is over.
  expect(run('undo', 'firewall', '--trial', trial).stderr).toContain('Nothing was changed');
  expect(seen(stranger, outside)).toEqual([443]);
  expect(run('install', 'firewall').stderr).toContain('already loaded and kept');

  // Another map: its rules are tried, and give way to the kept ones.
  writeFileSync(join(folder, 'mile-marker.yaml'), front('  listen: {https: 9000}\n'));
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  run('install', 'firewall', '--minutes', '3');
  expect(seen(stranger, outside)).toEqual([9000]);
  run('install', 'firewall', '--minutes', '0.05');
  await until(() => reaches(stranger, outside, 443));
  expect(seen(stranger, outside)).toEqual([443]);

  expect(run('undo', 'firewall').stderr).toContain('The rules are removed.');
  expect(seen(stranger, outside)).toEqual([443, 22, 9000, 8081]);
  expect(run('undo', 'firewall').stderr).toContain('Nothing was changed');
});
