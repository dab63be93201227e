import { execFile, execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { end } from './support/background.ts';
import { makeCertificates, startEngine, type RunningEngine } from './support/engine.ts';
import { makeNamespaces, removeNamespaces, wireHere } from './support/network.ts';
import { freePorts, listening, portOf, waitForPort } from './support/ports.ts';
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
import { practiceHead } from './support/site.ts';

/** Roads to containers of another machine: a real engine behind a network of its own, asked over TLS and through a real ssh server. */

const worker = Number(process.env['JEST_WORKER_ID'] ?? 1) % 8;
const hide = `mm-hide-${String(worker)}`;
const here = `10.203.${String(worker)}.1`;
const there = `10.203.${String(worker)}.2`;

let engine: RunningEngine;
let folder: string;
let head: string;
let https: number;
let service: http.Server;
const ends: Array<() => unknown> = [];

beforeAll(async () => {
  makeNamespaces([hide]);
  wireHere(hide, { device: `mmh${String(worker)}`, here, there });
  engine = await startEngine(2376, hide, there);
  engine.docker('run', '-d', '--name', 'hide-cam', '--restart', 'always', '-p', '8080:8080', 'observatory/pages');
  engine.docker('run', '-d', '--name', 'shy', '--restart', 'always', '-p', '127.0.0.1:8081:8080', 'observatory/pages');
  service = await listening(
    http.createServer((_, response) => response.end('<title>log</title>here')),
    0,
  );
  ({ head, https } = await practiceHead());
  folder = folderWith();
  cpSync(engine.tls.certificates, join(folder, 'keys/hide'), { recursive: true });
});

afterAll(async () => {
  for (const one of ends.splice(0).reverse()) await one();
  service.close();
  await engine.stop();
  removeNamespaces([hide]);
});

const byTls = `engine: "tcp://${there}:2376", keys: keys/hide`;
const atHide = (how: string, more = ''): string => `machines:\n  hide: {${how}, address: ${there}}\n${more}`;

function map(machines: string, roads = ''): void {
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `${head}engine: none\n${machines}roads:\n  log: {to: ":${String(portOf(service))}", gate: everyone}\n  cam: {to: "hide-cam@hide:8080", gate: everyone}\n${roads}`,
  );
}

const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder);
const flat = ({ out }: Ran): string => out.replace(/\s+/g, ' ');

function ask(name: string): Promise<string> {
  const at = `${name}.saltmarsh.example:${String(https)}`;
  const argv = ['-sk', '-w', ' %{http_code}', '--resolve', `${at}:127.0.0.1`, `https://${at}/`];
  return new Promise((resolve) => execFile('curl', argv, (_, out) => resolve(out)));
}

test('what runs there is seen, dialled and tested like what runs here', async () => {
  map(atHide(byTls), '  shy: shy@hide:8080\n');
  const survey = await run('survey');
  expect(survey.out).toMatch(/in no project on hide .*\nhide-cam +running +8080 on every address:8080 +cam/);
  expect((await run('survey', '--ports')).out).toMatch(/\n8080 +hide +every address +hide-cam@hide +container\n/);
  const check = await run('check');
  expect(flat(check)).toContain(
    `No address that others reach has port 8080 of \`shy\`, which runs on hide. do: On hide, publish it where the front reaches it: -p ${there}:8080:8080`,
  );
  expect(flat(check)).toContain(`Roads to hide use clear text, to ${there}.`);
  expect(flat(check)).toContain(`write in the map: private-networks: [${there}/32].`);
  expect(check.out).not.toMatch(/machine-engine-open|no-restart-policy|service-stopped/);
  map(atHide(byTls, `private-networks: [${there}/32]\n`));
  await run('certs', 'make');
  expect((await run('check')).out).not.toMatch(/clear-text|error/);
  expect((await run('roads', '--why')).out).toContain(
    `cam.saltmarsh.example: service hide-cam on hide publishes its port 8080 on ${there}:8080`,
  );
  const installed = await run('install', '--yes', '--no-rehearsal');
  ends.push(() => end(folder));
  expect(installed.err).toContain('2 of 2 roads work');
  expect(await ask('cam')).toMatch(/^[0-9a-f]{12}\s+200$/);
  expect((await run('report')).err).toContain('Written: report.html');
  expect(readFileSync(join(folder, 'report.html'), 'utf8')).toContain('containers of no project on hide');

  engine.docker('stop', '-t', '0', 'hide-cam');
  expect(flat(await run('check'))).toMatch(
    /On hide: The container `hide-cam` ended with exit code \d+\. do: On hide: Read why: docker logs hide-cam/,
  );
  engine.docker('start', 'hide-cam');
});

test('follow: its events count like those of this machine; when it is away its own roads alone are touched, and that is said once', async () => {
  map(atHide(byTls, `private-networks: [${there}/32]\nlabels: {obey: lab.saltmarsh.example}\n`));
  const child = launch(['follow'], folder);
  await says(child, '2 roads: ');
  const isNew = says(
    child,
    `moths.lab.saltmarsh.example: new, leads to moths at ${there}:8083, by the label of moths@hide`,
  );
  const label = 'mile-marker.road={name: moths.lab.saltmarsh.example, gate: home}';
  engine.docker('run', '-d', '--name', 'moths', '-p', '8083:8080', '-l', label, 'observatory/pages');
  await isNew;
  expect(await ask('moths.lab')).toMatch(/ 200$/);
  const isAway = says(child, 'hide: The container engine cannot be reached');
  let after = '';
  child.stderr.on('data', (text: string) => (after += text));
  const isBack = says(child, 'hide: the container engine answers again');
  const restarted = engine.restart();
  await isAway;
  expect(await ask('log')).toBe('<title>log</title>here 200');
  await restarted;
  await isBack;
  expect(after.match(/cannot be reached/g)).toHaveLength(1);
  expect(await stop(child, 'SIGTERM')).toBe(0);
  engine.docker('rm', '-f', 'moths');
});

test('away while commands run: its roads lead where they did, and it is said once', async () => {
  map(atHide(byTls.replace('2376', '2399'), `private-networks: [${there}/32]\n`));
  const check = await run('check');
  expect(flat(check)).toMatch(
    /^warning machine-unanswered mile-marker\.yaml:\d+:3 hide: The container engine cannot be reached at tcp:\/\/10\.203\.\d\.2:2399: the connection was refused\. What runs there is assumed to be as at 20[^ ]+Z\. do: Check that the machine is up/,
  );
  expect(check.out.match(/machine-unanswered/g)).toHaveLength(1);
  expect((await run('install', '--yes', '--no-rehearsal')).err).toMatch(/is live/);
  expect(await ask('cam')).toMatch(/^[0-9a-f]{12}\s+200$/);
  rmSync(join(folder, '.mile-marker/machines'), { recursive: true });
  const never = await run('check');
  expect(flat(never)).toContain('What runs there is not known.');
  expect([never.code, flat(never)]).toEqual([1, expect.stringContaining('error machine-unanswered')]);
});

test.each<[string, string, RegExp]>([
  [
    'keys that are not there',
    `engine: "tcp://${there}:2376", keys: keys/none`,
    /has no ca\.pem, cert\.pem and key\.pem\. .*Put them there/,
  ],
  [
    'an authority of somebody else',
    `engine: "tcp://${there}:2376", keys: keys/other`,
    /cannot be reached at .*(self-signed|certificate)/,
  ],
  ['no client certificate', `engine: "https://${there}:2376"`, /has no ca\.pem|certificate/],
  [
    'without TLS where it wants it',
    `engine: "tcp://${there}:2376"`,
    /wants TLS\. What runs there is not known\. do: Put ca\.pem, cert\.pem and key\.pem/,
  ],
])('%s: said with its cause, and nothing else is wrong', async (_, how, words) => {
  if (!existsSync(join(folder, 'keys/other'))) makeCertificates(join(folder, 'keys/other'), there);
  map(atHide(how, `private-networks: [${there}/32]\n`));
  const check = flat(await run('check'));
  expect(check).toMatch(words);
  expect(check).toMatch(/machine-unanswered/);
  expect(check).not.toMatch(/log\.saltmarsh|service-unknown|machine-engine-open/);
});

test.each([
  [
    'a machine that is not on the map',
    '  x: hide-cam@hid:8080\n',
    'names the machine `hid`, which the map does not have. do: Did you mean `hide`?',
  ],
  ['a machine for a port of a host', '  x: "@hide:8080"\n', '`to` is not understood: @hide:8080'],
])('%s is a slip of the map', async (_, road, words) => {
  map(atHide(byTls), road);
  const ran = await run('check');
  expect([ran.code, flat(ran)]).toEqual([2, expect.stringContaining(words)]);
});

describe('through ssh', () => {
  let port: number;
  let sshd: ChildProcess;
  let keys: string;

  beforeAll(async () => {
    keys = folderWith();
    [port = 0] = await freePorts(1);
    for (const name of ['host', 'user'])
      execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', join(keys, name)]);
    mkdirSync(join(keys, 'home'), { mode: 0o700 });
    cpSync(join(keys, 'user'), join(keys, 'home/id_ed25519'));
    cpSync(join(keys, 'user.pub'), join(keys, 'authorized'));
    writeFileSync(
      join(keys, 'sshd_config'),
      [
        `Port ${String(port)}`,
        'ListenAddress 127.0.0.1',
        `HostKey ${join(keys, 'host')}`,
        `AuthorizedKeysFile ${join(keys, 'authorized')}`,
        'PasswordAuthentication no',
        'StrictModes no',
        'UsePAM no',
        `PidFile ${join(keys, 'pid')}`,
        '',
      ].join('\n'),
    );
    mkdirSync('/run/sshd', { recursive: true });
    sshd = spawn('/usr/sbin/sshd', ['-D', '-e', '-f', join(keys, 'sshd_config')], { stdio: 'ignore' });
    await waitForPort(port);
  });

  afterAll(() => sshd.kill());

  /** With a folder of ssh of its own: that of whoever runs the tests is not touched. */
  function bySsh(...argv: string[]): Promise<Ran> {
    const inside = `mkdir -p ~/.ssh && mount --bind ${join(keys, 'home')} ~/.ssh && exec "$@"`;
    const words = ['-m', 'sh', '-c', inside, 'sh', process.execPath, program, ...argv];
    const env = { PATH: process.env['PATH'], HOME: '/root', DOCKER_HOST: 'none' };
    return ended(spawn('unshare', words, { cwd: folder, env }));
  }

  /** A client whose socket is there half a second before it listens, as it is for a moment on a machine that is busy. */
  const lateClient = `#!/usr/bin/python3
import socket, sys, threading, time
local, remote = sys.argv[sys.argv.index('-L') + 1].split(':')
listener = socket.socket(socket.AF_UNIX)
listener.bind(local)
time.sleep(0.5)
listener.listen()
def pump(source, sink):
    while data := source.recv(65536):
        sink.sendall(data)
    sink.shutdown(socket.SHUT_WR)
while True:
    here, _ = listener.accept()
    there = socket.socket(socket.AF_UNIX)
    there.connect(remote)
    for pair in ((here, there), (there, here)):
        threading.Thread(target=pump, args=pair, daemon=True).start()
`;

  test('the installed client leads to the engine there; a host that nobody has seen yet is said, not taken', async () => {
    map(atHide(`engine: "ssh://root@127.0.0.1:${String(port)}${engine.socket}"`, `private-networks: [${there}/32]\n`));
    const unknown = flat(await bySsh('check'));
    expect(unknown).toMatch(/cannot be reached at ssh:.*Host key verification failed/);
    expect(unknown).toContain(`ssh -p ${String(port)} root@127.0.0.1 docker version`);
    const [kind = '', key = ''] = readFileSync(join(keys, 'host.pub'), 'utf8').split(' ');
    writeFileSync(join(keys, 'home/known_hosts'), `[127.0.0.1]:${String(port)} ${kind} ${key}\n`);
    const check = await bySsh('check');
    expect(check.out).not.toMatch(/machine-unanswered|error/);
    expect((await bySsh('survey')).out).toMatch(/hide-cam +running/);
    // Nothing of it stays.
    expect(execFileSync('sh', ['-c', 'ls -d /tmp/mile-marker-ssh-* 2>/dev/null || true'], { encoding: 'utf8' })).toBe(
      '',
    );
    const late = folderWith({ ssh: lateClient });
    chmodSync(join(late, 'ssh'), 0o755);
    expect(flat(await mileMarkerProcess(['survey'], folder, { PATH: late }))).toMatch(/hide-cam +running/);
    const off = await mileMarkerProcess(['check'], folder, { PATH: '/nonexistent' });
    expect(flat(off)).toContain('there is no program `ssh` here');
  });
});
