import { execFile } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { end } from './support/background.ts';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { makeNamespaces, removeNamespaces, removeSwitch, setCable, switchHere } from './support/network.ts';
import { folderWith, launch, mileMarker, says, stop, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Roads into a cluster of three real nodes, each with a network of its own: tasks that move, end and come, and a node that is lost. */

const worker = Number(process.env['JEST_WORKER_ID'] ?? 1) % 8;
const names = [1, 2, 3].map((node) => `mm-node-${String(worker)}-${String(node)}`);
const net = `10.204.${String(worker)}`;
const device = `mmb${String(worker)}`;
const engines: RunningEngine[] = [];
let folder: string;
let head: string;
let https: number;

const name = 'tides.saltmarsh.example';

beforeAll(async () => {
  makeNamespaces(names);
  const there = Object.fromEntries(names.map((one, index) => [one, `${net}.${String(index + 1)}`]));
  switchHere(device, { here: `${net}.254`, there });
  for (const [index, one] of names.entries()) {
    const node = String(index + 1);
    const pool = `172.31.${String(worker * 4 + index)}.0/24`;
    const bridge = `172.30.${String(worker * 4 + index)}.1/24`;
    engines.push(await startEngine(2376, one, `${net}.${node}`, { name: `marsh${node}`, bridge, pool }));
  }
  const [manager, ...others] = engines;
  const pool = `10.205.${String(worker)}.0/24`;
  manager?.docker(
    'swarm',
    'init',
    '--advertise-addr',
    `${net}.1`,
    '--listen-addr',
    `${net}.1:2377`,
    '--default-addr-pool',
    pool,
  );
  const token = manager?.docker('swarm', 'join-token', '-q', 'worker').trim() ?? '';
  for (const [index, engine] of others.entries())
    engine.docker(
      'swarm',
      'join',
      '--token',
      token,
      '--advertise-addr',
      `${net}.${String(index + 2)}`,
      `${net}.1:2377`,
    );
  const head1 = await practiceHead('builtin', `engine: unix://${manager?.socket ?? ''}\ncluster: true\n`);
  ({ head, https } = head1);
  folder = folderWith();
  map('  tides: {to: "tides:8080", gate: everyone}\n');
});

afterAll(async () => {
  end(folder);
  for (const engine of engines.reverse()) await engine.stop();
  removeNamespaces(names);
  removeSwitch(device);
});

const manager = (...argv: string[]): string => engines[0]?.docker(...argv) ?? '';
const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder);
const flat = ({ out }: Ran): string => out.replace(/\s+/g, ' ');

function map(roads: string): void {
  writeFileSync(join(folder, 'mile-marker.yaml'), `${head}roads:\n${roads}`);
}

/** What so many requests got, each on a connection of its own: the body, which is the task's own name, and the status. */
async function ask(count: number): Promise<Set<string>> {
  const at = `${name}:${String(https)}`;
  const argv = ['-sk', '--max-time', '20', '-w', ' %{http_code}', '--resolve', `${at}:127.0.0.1`, `https://${at}/`];
  const got = new Set<string>();
  for (let left = count; left > 0; left -= 1)
    got.add(await new Promise((resolve) => execFile('curl', argv, (_, out) => resolve(out.replace(/\s+/, ' ')))));
  return got;
}

async function untilRunning(count: number): Promise<void> {
  for (let tries = 0; tries < 240; tries += 1) {
    const running = manager(
      'service',
      'ps',
      '--filter',
      'desired-state=running',
      '--format',
      '{{.CurrentState}}',
      'tides',
    );
    if (running.split('\n').filter((line) => line.startsWith('Running')).length === count) return;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  throw new Error(manager('service', 'ps', '--no-trunc', 'tides'));
}

test('a service of the cluster: all of its tasks are used; one that ends, moves or is lost with its node costs no request', async () => {
  expect(flat(await run('check'))).toContain('No service is called `tides`');
  const publish = ['--publish', 'mode=host,target=8080,published=8085'];
  const made = ['--no-resolve-image', '--detach', '--replicas', '2', '--endpoint-mode', 'dnsrr', ...publish];
  manager('service', 'create', '--name', 'tides', ...made, 'observatory/pages');
  await untilRunning(2);
  expect((await run('survey')).out).toMatch(
    /outside every project .*\ntides +running +8080 on 10\.204\.\d\.\d:8085 +tides\n +8080 on 10\.204/,
  );
  await run('certs', 'make');
  const check = await run('check');
  expect([check.code, check.out]).toEqual([0, expect.not.stringMatching(/error|cluster-|service-/)]);
  expect((await run('roads', '--why')).out).toMatch(
    /service tides of the cluster has a task at 10\.204\.\d\.\d:8085 and 1 more/,
  );
  expect((await run('install', '--yes')).err).toContain('is live');
  expect([...(await ask(10))].map((one) => one.slice(-3))).toEqual(['200', '200']);

  // A task that ends: its connections are refused, and the next one is gone to.
  const child = launch(['follow'], folder);
  await says(child, '1 road: ');
  const task = engines
    .map((engine) => [engine, engine.docker('ps', '-q', '--filter', 'name=tides').trim()] as const)
    .find(([, id]) => id !== '');
  task?.[0].docker('kill', task[1]);
  expect([...(await ask(10))].every((one) => one.endsWith(' 200'))).toBe(true);
  await untilRunning(2);

  manager('service', 'scale', '--detach', 'tides=3');
  await untilRunning(3);
  await untilSeen(3);

  // Drained: its task ends there, and cannot be elsewhere, where the port is taken.
  manager('node', 'update', '--availability', 'drain', 'marsh3');
  await untilRunning(2);
  await untilSeen(2);
  manager('node', 'update', '--availability', 'active', 'marsh3');
  await untilRunning(3);
  await untilSeen(3);

  // Cut off: nobody tells anybody anything.
  setCable(names[2] ?? '', 'down');
  expect([...(await ask(12))].every((one) => one.endsWith(' 200'))).toBe(true);
  await untilSeen(2);
  expect(flat(await run('check'))).toMatch(/cluster-node-away .*marsh3|cluster-no-task|^$/);
  setCable(names[2] ?? '', 'up');
  await untilRunning(3);
  await untilSeen(3);

  manager('service', 'scale', '--detach', 'tides=0');
  await untilRunning(0);
  await untilSeen(1, /502$/);
  expect(flat(await run('check'))).toContain('`tides` is scaled to none. do: Start it: docker service scale tides=1');
  expect(await stop(child, 'SIGTERM')).toBe(0);
});

/** Until so many different answers come, and no other. */
async function untilSeen(count: number, status = /200$/): Promise<void> {
  let seen = new Set<string>();
  for (let tries = 0; tries < 60; tries += 1) {
    seen = await ask(9);
    if (seen.size === count && [...seen].every((one) => status.test(one))) return;
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
  expect([...seen]).toHaveLength(count);
}

test('a worker, and an engine that is in no cluster, are said to be no manager', async () => {
  map('  tides: {to: "tides:8080", gate: everyone}\n');
  const text = `${head}roads: {tides: "tides:8080"}\n`;
  writeFileSync(join(folder, 'mile-marker.yaml'), text.replace(engines[0]?.socket ?? '', engines[1]?.socket ?? ''));
  expect(flat(await run('check'))).toMatch(
    /The cluster cannot be asked at unix:.*: it is no manager of a cluster\. do: Name a manager/,
  );
});
