import { execFile } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startCluster, type RunningCluster } from './support/cluster.ts';
import { folderWith, mileMarker, type Ran } from './support/program.ts';

/** The front as a service of a cluster of three real nodes, two of which carry the public addresses: brought live, changed and taken back under load. */

let cluster: RunningCluster;
let folder: string;

const name = 'tides.saltmarsh.example';
const roads = '  tides: {to: "tides:8080", gate: everyone}\n';

beforeAll(async () => {
  cluster = await startCluster();
  const { manager } = cluster;
  manager('network', 'create', '--driver', 'overlay', 'reeds');
  const made = ['--no-resolve-image', '--detach', '--replicas', '2', '--endpoint-mode', 'dnsrr', '--network', 'reeds'];
  // Not on a node that is to be lost: this is about the front alone.
  manager(
    'service',
    'create',
    '--name',
    'tides',
    ...made,
    '--constraint',
    'node.hostname!=marsh2',
    'observatory/pages',
  );
  await cluster.untilRunning('tides', 2);
  folder = folderWith();
  map(roads);
  await run('certs', 'make');
});

afterAll(async () => {
  await cluster.stop();
});

const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder);
const flat = ({ out, err }: Ran): string => `${out} ${err}`.replace(/\s+/g, ' ');

function map(lines: string, front = 'proxy: nginx, nodes: [marsh1, marsh2]'): void {
  const addresses = `${cluster.address(1)}, ${cluster.address(2)}`;
  const head = `domains: [saltmarsh.example]\nfront: {address: [${addresses}], ${front}}\n`;
  const engine = `engine: unix://${cluster.engines[0]?.socket ?? ''}\ncluster: true\n`;
  writeFileSync(join(folder, 'mile-marker.yaml'), `${head}${engine}roads:\n${lines}`);
}

/** As browsers do: the next address where one refuses or says nothing. */
function ask(host = name, addresses = [1, 2].map((node) => cluster.address(node))): Promise<string> {
  const argv = ['-sk', '--max-time', '20', '--connect-timeout', '4', '-w', '%{http_code}', '-o', '/dev/null'];
  const at = ['--resolve', `${host}:443:${addresses.join(',')}`, `https://${host}/`];
  return new Promise((resolve) => execFile('curl', [...argv, ...at], (_, out) => resolve(out)));
}

/** Asks without a pause while something is done, on connections of their own. @returns what each got */
async function under<T>(work: () => Promise<T>): Promise<{ result: T; got: string[] }> {
  const got: string[] = [];
  let isDone = false;
  const load = (async () => {
    while (!isDone) got.push(await ask());
  })();
  const result = await work().finally(() => (isDone = true));
  await load;
  return { result, got };
}

const statusesAt = (host: string): Promise<string[]> =>
  Promise.all([1, 2].map((node) => ask(host, [cluster.address(node)])));

test('what cannot be on several nodes is said, with where and what to do', async () => {
  map(roads, 'proxy: builtin, nodes: [marsh1, marsh9]');
  const words = flat(await run('check'));
  expect(words).toContain('no node of the cluster has that. do: Write another proxy under `front`: proxy: nginx,');
  expect(words).toContain('The cluster has no node called marsh9. do: Did you mean marsh1?');
  map(`${roads}  papers: {folder: ./papers, gate: everyone}\n`);
  expect(flat(await run('check'))).toContain('which the nodes of the front do not have.');
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]\nfront: {address: 192.0.2.7, nodes: [marsh1]}\nroads: {tides: "tides:8080"}\n`,
  );
  expect(flat(await run('check'))).toContain('`front.nodes` names nodes of a cluster, and the map asks no cluster.');
  map(roads, 'proxy: nginx');
  expect(flat(await run('write', '--cluster'))).toContain('Name them under `front`: `nodes: [NODE, ...]`');
  map(roads);
});

test('the front on two nodes: brought live, changed and undone; nobody who tries both addresses fails', async () => {
  const first = await run('install', '--yes');
  expect([first.code, flat(first)]).toEqual([0, expect.stringContaining('Edition 0001 is live. At the front itself:')]);
  expect(await statusesAt(name)).toEqual(['200', '200']);
  // Keys are secrets, and nothing of them stands in the file.
  const stack = readFileSync(join(folder, 'front.stack.yaml'), 'utf8');
  expect(stack).not.toContain('PRIVATE KEY');
  expect(cluster.manager('secret', 'ls', '-q').trim().split('\n')).toHaveLength(1);

  map(`${roads}  moon: {redirect: "https://${name}/moon"}\n`);
  await run('certs', 'make');
  const changed = await under(() => run('install', '--yes'));
  expect(flat(changed.result)).toContain('Edition 0002 is live.');
  expect(changed.got.filter((status) => status !== '200')).toEqual([]);
  expect(await statusesAt('moon.saltmarsh.example')).toEqual(['307', '307']);
  // What the edition before had alone is gone.
  expect(cluster.manager('secret', 'ls', '-q').trim().split('\n')).toHaveLength(2);

  // A certificate made anew is a new secret on every node.
  const before = await serialAt(1);
  rmSync(join(folder, '.mile-marker/certificates', name), { recursive: true });
  await run('certs', 'make', '--no-reload');
  expect(flat(await run('check', '--installed'))).toContain('since the nodes of the front were given them.');
  rmSync(join(folder, '.mile-marker/certificates', name), { recursive: true });
  expect(flat(await run('certs', 'make'))).toContain(`${name} 2`);
  expect([(await serialAt(1)) === before, (await serialAt(1)) === (await serialAt(2))]).toEqual([false, true]);

  map(roads);
  const back = await under(() => run('undo', 'front', '1', '--yes'));
  expect(flat(back.result)).toContain('Live now: edition 0001. Before: edition 0002.');
  expect(back.got.filter((status) => status !== '200')).toEqual([]);
});

function serialAt(node: number): Promise<string> {
  const argv = [
    '-c',
    `echo | openssl s_client -connect ${cluster.address(node)}:443 -servername ${name} 2>/dev/null | openssl x509 -noout -serial`,
  ];
  return new Promise((resolve) => execFile('sh', argv, (_, out) => resolve(out.trim())));
}
