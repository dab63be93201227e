import { execFile } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startCluster, type RunningCluster } from '../support/cluster.ts';
import { folderWith, mileMarker, type Ran } from '../support/program.ts';

/** The front as a service of a cluster of three real nodes, two of which carry the public addresses: brought live, changed, kept from a bad edition, lost and taken back, all under load. */

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

/** Looks twice a second, for a minute. */
async function until(isSo: () => Promise<boolean>): Promise<void> {
  for (let tries = 0; tries < 120 && !(await isSo()); tries += 1)
    await new Promise((resolve) => setTimeout(resolve, 500));
}

/** What the engine says of the second node as a manager; nothing while nobody can decide. */
const managers = (): string => {
  try {
    return cluster.manager('node', 'ls', '--filter', 'name=marsh2', '--format', '{{.ManagerStatus}}');
  } catch {
    return '';
  }
};

function demoted(): boolean {
  try {
    cluster.manager('node', 'demote', 'marsh2');
    return true;
  } catch {
    return false;
  }
}

const serviceNames = (): string[] =>
  cluster.manager('service', 'ls', '--format', '{{.Name}}').trim().split('\n').sort();

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
  expect(flat(await run('check', '--installed'))).toContain('since the nodes of the front got them.');
  rmSync(join(folder, '.mile-marker/certificates', name), { recursive: true });
  expect(flat(await run('certs', 'make'))).toContain(`${name} 2`);
  expect([(await serialAt(1)) === before, (await serialAt(1)) === (await serialAt(2))]).toEqual([false, true]);

  map(roads);
  const back = await under(() => run('undo', 'front', '1', '--yes'));
  expect(flat(back.result)).toContain('Live now: edition 0001. Before: edition 0002.');
  expect(back.got.filter((status) => status !== '200')).toEqual([]);
});

test('an edition that does not come up on the first node goes to no other', async () => {
  const taken = cluster.engines
    .slice(0, 2)
    .map((engine) => engine.docker('run', '-d', '-p', '8088:8080', 'observatory/pages').trim());
  map(roads, 'proxy: nginx, nodes: [marsh1, marsh2], listen: {http: 8088}');
  const refused = await under(() => run('install', '--yes', '--despite', 'front-port-taken'));
  expect(flat(refused.result)).toMatch(
    /did not load it: the (?:new edition did not start on every node|new edition is not answering on).*Live now: edition \d+, as before/,
  );
  expect(refused.got.filter((status) => status !== '200')).toEqual([]);
  for (const [index, id] of taken.entries()) cluster.engines[index]?.docker('rm', '-f', id);

  map(roads);
});

test('a manager that has lost the majority is said as that, and nothing changes for visitors', async () => {
  cluster.manager('node', 'promote', 'marsh2');
  await until(() => Promise.resolve(managers().includes('Reachable')));
  cluster.setCable(2, 'down');
  let said = '';
  await until(async () => (said = flat(await run('check'))).includes('too few'));
  expect(said).toContain('too few of its manager nodes are up (no quorum)');
  expect(await ask(name, [cluster.address(1)])).toBe('200');
  const refused = await run('install', '--yes');
  expect([refused.code === 0, await ask(name, [cluster.address(1)])]).toEqual([false, '200']);
  cluster.setCable(2, 'up');
  await until(() => Promise.resolve(managers().includes('Reachable')));
  // The leader may change once more meanwhile.
  await until(() => Promise.resolve(demoted()));
  await until(async () => (await run('check')).code === 0);
  expect(flat(await run('check'))).not.toContain('too few');
});

test('a node of the front that is lost costs nobody an answer who tries the next address, and is said', async () => {
  const lost = await under(async () => {
    cluster.setCable(2, 'down');
    for (let tries = 0; tries < 120; tries += 1) {
      const nodes = cluster.manager('node', 'ls', '--format', '{{.Hostname}} {{.Status}}');
      if (nodes.includes('marsh2 Down')) break;
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
    return flat(await run('check'));
  });
  expect(lost.result).toContain('The front’s node marsh2 does not answer the manager.');
  expect(lost.got.filter((status) => status !== '200')).toEqual([]);
  // What is changed meanwhile goes to the nodes that are there.
  map(`${roads}  moon: {redirect: "https://${name}/moon"}\n`);
  const meanwhile = await run('install', '--yes');
  expect([meanwhile.code, flat(meanwhile)]).toEqual([0, expect.stringContaining('is live.')]);
  cluster.setCable(2, 'up');
  for (let tries = 0; tries < 240; tries += 1) {
    if ((await statusesAt('moon.saltmarsh.example')).every((status) => status === '307')) break;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  expect(await statusesAt('moon.saltmarsh.example')).toEqual(['307', '307']);

  // Without an edition before it the front goes, with all that it had.
  for (let tries = 0; tries < 6 && serviceNames().includes('mile-marker_front'); tries += 1)
    await run('undo', 'front', '--yes');
  expect(serviceNames()).toEqual(['tides']);
  expect(cluster.manager('secret', 'ls', '-q')).toBe('');
});

function serialAt(node: number): Promise<string> {
  const argv = [
    '-c',
    `echo | openssl s_client -connect ${cluster.address(node)}:443 -servername ${name} 2>/dev/null | openssl x509 -noout -serial`,
  ];
  return new Promise((resolve) => execFile('sh', argv, (_, out) => resolve(out.trim())));
}
