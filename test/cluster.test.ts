import { execFile } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { end } from './support/background.ts';
import { startCluster, type RunningCluster } from './support/cluster.ts';
import { folderWith, launch, mileMarker, says, stop, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Roads into a cluster of three real nodes, each with a network of its own: tasks that move, end and come, and a node that is lost. */

let cluster: RunningCluster;
let folder: string;
/** Of the front on this machine. */
let onHost: string;
let head: string;
let https: number;

const name = 'tides.saltmarsh.example';

beforeAll(async () => {
  cluster = await startCluster();
  const head1 = await practiceHead('builtin', `engine: unix://${cluster.engines[0]?.socket ?? ''}\ncluster: true\n`);
  ({ head, https } = head1);
  folder = folderWith();
  onHost = folder;
  map('  tides: {to: "tides:8080", gate: everyone}\n');
});

afterAll(async () => {
  end(onHost);
  await cluster.stop();
});

const manager = (...argv: string[]): string => cluster.manager(...argv);
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

const untilRunning = (count: number): Promise<void> => cluster.untilRunning('tides', count);

test('a service of the cluster: all of its tasks are used; one that ends, moves or is lost with its node costs no request', async () => {
  expect(flat(await run('check'))).toContain('No service is called `tides`');
  const publish = ['--publish', 'mode=host,target=8080,published=8085'];
  const made = ['--no-resolve-image', '--detach', '--replicas', '2', '--endpoint-mode', 'dnsrr', ...publish];
  manager('service', 'create', '--name', 'tides', ...made, 'observatory/pages');
  await untilRunning(2);
  expect((await run('survey')).out).toMatch(
    /in no project .*\ntides +running +8080 on 10\.204\.\d\.\d:8085 +tides\n +8080 on 10\.204/,
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
  const task = cluster.engines
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
  cluster.setCable(3, 'down');
  expect([...(await ask(12))].every((one) => one.endsWith(' 200'))).toBe(true);
  await untilSeen(2);
  expect(flat(await run('check'))).toMatch(/cluster-node-away .*marsh3|cluster-no-task|^$/);
  cluster.setCable(3, 'up');
  await untilRunning(3);
  await untilSeen(3);

  manager('service', 'scale', '--detach', 'tides=0');
  await untilRunning(0);
  await untilSeen(1, /502$/);
  expect(flat(await run('check'))).toContain('`tides` is scaled to 0. do: Start it: docker service scale tides=1');
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

/** A map whose front is at the addresses of two nodes. */
function front(words: string, more = ''): void {
  const addresses = `${cluster.address(1)}, ${cluster.address(2)}`;
  const engine = `engine: unix://${cluster.engines[0]?.socket ?? ''}\ncluster: true\n`;
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]\nfront: {address: [${addresses}], ${words}}\n${engine}roads:\n  pools: {to: "pools:8080", gate: everyone}\n${more}`,
  );
}

/** As browsers do: the next address where one refuses or says nothing. */
function visit(host: string, nodes = [1, 2]): Promise<string> {
  const argv = ['-sk', '--max-time', '20', '--connect-timeout', '4', '-w', '%{http_code}', '-o', '/dev/null'];
  const at = nodes.map((node) => cluster.address(node)).join(',');
  const url = `https://${host}.saltmarsh.example/`;
  const resolve = ['--resolve', `${host}.saltmarsh.example:443:${at}`, url];
  return new Promise((done) => execFile('curl', [...argv, ...resolve], (_, out) => done(out)));
}

test('what cannot be on several nodes is said, with where and what to do', async () => {
  front('proxy: builtin, nodes: [marsh1, marsh9]');
  const words = flat(await run('check'));
  expect(words).toContain('which the cluster nodes do not have. do: Write another proxy under `front`: proxy: nginx,');
  expect(words).toContain('The cluster has no node called marsh9. do: Did you mean marsh1?');
  front('proxy: nginx, nodes: [marsh1, marsh2]', '  papers: {folder: ./papers, gate: everyone}\n');
  expect(flat(await run('check'))).toContain('which the nodes of the front do not have.');
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]\nfront: {address: 192.0.2.7, nodes: [marsh1]}\nroads: {tides: "tides:8080"}\n`,
  );
  expect(flat(await run('check'))).toContain('`front.nodes` names cluster nodes, but the map has no cluster.');
  front('proxy: nginx');
  expect((await run('write', '--cluster')).err.replace(/\s+/g, ' ')).toContain(
    'Name them under `front`: `nodes: [NODE, ...]`',
  );
});

test('the front as a service on two nodes: a change is brought live on one after the other, and no visitor who tries both fails', async () => {
  folder = folderWith();
  manager('network', 'create', '--driver', 'overlay', 'reeds');
  const made = ['--no-resolve-image', '--detach', '--endpoint-mode', 'dnsrr', '--network', 'reeds'];
  manager('service', 'create', '--name', 'pools', ...made, 'observatory/pages');
  await cluster.untilRunning('pools', 1);
  front('proxy: nginx, nodes: [marsh1, marsh2]');
  await run('certs', 'make');
  const first = await run('install', '--yes');
  expect([first.code, first.err]).toEqual([0, expect.stringContaining('Edition 0001 is live. At the front itself:')]);
  expect(await Promise.all([visit('pools', [1]), visit('pools', [2])])).toEqual(['200', '200']);
  // Keys are secrets, and nothing of them stands in the file.
  expect(readFileSync(join(folder, 'front.stack.yaml'), 'utf8')).not.toContain('PRIVATE KEY');
  expect(manager('secret', 'ls', '-q').trim().split('\n')).toHaveLength(1);
  front('proxy: nginx, nodes: [marsh1, marsh2]', '  moon: {redirect: "https://pools.saltmarsh.example/moon"}\n');
  await run('certs', 'make', '--no-reload');
  const got: string[] = [];
  let isDone = false;
  const load = (async () => {
    while (!isDone) got.push(await visit('pools'));
  })();
  const changed = await run('install', '--yes').finally(() => (isDone = true));
  await load;
  expect(changed.err).toContain('Edition 0002 is live.');
  expect(got.filter((status) => status !== '200')).toEqual([]);
  expect(await Promise.all([visit('moon', [1]), visit('moon', [2])])).toEqual(['307', '307']);
});

test('a worker, and an engine that is in no cluster, are said to be no manager', async () => {
  map('  tides: {to: "tides:8080", gate: everyone}\n');
  const text = `${head}roads: {tides: "tides:8080"}\n`;
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    text.replace(cluster.engines[0]?.socket ?? '', cluster.engines[1]?.socket ?? ''),
  );
  expect(flat(await run('check'))).toMatch(
    /The cluster cannot be asked at unix:.*: it is not a manager node of a cluster\. do: Name a manager/,
  );
});
