import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import bcrypt from 'bcryptjs';
import { haproxyProgram, startFront } from './support/fronts.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import http from 'node:http';
import { folderWith, mileMarker, program } from './support/program.ts';
import { practiceHead } from './support/site.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';

const people = (...names: string[]): string => names.map((name) => `${name}:${bcrypt.hashSync('tern', 4)}\n`).join('');

test('passwords stand in a file for its owner alone, and no difference shows them', async () => {
  const { head } = await practiceHead('haproxy');
  const folder = folderWith({
    'mile-marker.yaml': `${head}gates: {wardens: {people: w}}\nroads: {log: {to: ":9", gate: wardens}}\n`,
    // A name that nobody can say is passed over.
    w: people('edda', 'a\tb'),
  });
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const file = join(folder, '.mile-marker/front/current/01-people.cfg');
  expect([statSync(file).mode & 0o777, readFileSync(file, 'utf8')]).toEqual([0o600, expect.stringContaining('$2')]);
  writeFileSync(join(folder, 'w'), people('edda', 'joost'));
  for (const argv of [
    ['write', '--diff', '--dry-run'],
    ['write', '--dry-run', '--json'],
  ]) {
    const { code, out } = await mileMarker(argv, folder);
    expect([argv, code, out.includes('01-people.cfg'), out.includes('$2')]).toEqual([argv, 0, true, false]);
  }
  const removed = await mileMarker(['people', 'remove', 'joost', '--gate', 'wardens'], folder);
  expect([removed.code, removed.err]).toEqual([0, expect.stringContaining('haproxy lets them in until this is live')]);
});

test('a service that is not there, or has a name that nobody knows, keeps no other road from being served', async () => {
  const service = await listening(
    http.createServer((_, response) => response.end('gull')),
    0,
  );
  const { head, https } = await practiceHead('haproxy');
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads:
  there: {to: ":${String(portOf(service))}", gate: everyone}
  gone: {to: ":9", gate: everyone}
  nameless: {to: "http://nobody.saltmarsh.invalid:8080", gate: everyone}
`,
  });
  const front = await startFront(folder, 'haproxy');
  try {
    const statuses = await Promise.all(
      ['there', 'gone', 'nameless'].map(async (road) => {
        const name = `${road}.saltmarsh.example`;
        const text = `GET / HTTP/1.1\r\nHost: ${name}\r\nConnection: close\r\n\r\n`;
        const outcome = await sendRaw({ port: https, text, tls: { servername: name } });
        return outcome.kind === 'answer' ? outcome.status : outcome.kind;
      }),
    );
    expect(statuses).toEqual([200, 502, 502]);
  } finally {
    await front.stop();
    service.close();
  }
});

/** In a mount namespace of its own (mount_namespaces(7)), where /run and the settings of the package are the test's. */
function inside(folder: string, script: string): string {
  const mounts = `mount -t tmpfs none /run && mount --bind ${folder}/default /etc/default/haproxy && mount --bind ${folder}/base.cfg /etc/haproxy/haproxy.cfg`;
  const options = { cwd: folder, encoding: 'utf8' as const, timeout: 200_000 };
  return execFileSync('unshare', ['-m', 'sh', '-c', `${mounts} && { ${script}; } 2>&1`], options);
}

test('install says how the package is told of the folder once; then it brings editions live, people too, and takes them back', async () => {
  haproxyProgram();
  const service = await listening(
    http.createServer((_, response) => response.end('gull')),
    0,
  );
  const [http_ = 0, https = 0, mark = 0] = await freePorts(3);
  const map = (road: string): string => `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: haproxy, ports: {http: ${String(http_)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
engine: none
gates: {wardens: {people: w}}
roads:
  ${road}: {to: ":${String(portOf(service))}", gate: everyone}
  roster: {to: ":${String(portOf(service))}", gate: wardens}
`;
  const folder = folderWith({
    'mile-marker.yaml': map('log'),
    'later.yaml': map('tides'),
    w: people('edda'),
    default: '',
    'base.cfg': 'global\n    maxconn 100\n',
  });
  chmodSync(folder, 0o755);
  mkdirSync(join(folder, 'out'));
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const tool = `node ${program}`;
  const said = inside(
    folder,
    [
      `${tool} install --yes --no-rehearsal || true`,
      `echo 'EXTRAOPTS="-f ${folder}/.mile-marker/front/current"' > default`,
      `${tool} install --yes --no-rehearsal || true`,
      'cp later.yaml mile-marker.yaml',
      `${tool} certs make`,
      `${tool} install --yes --no-rehearsal || true`,
      `${tool} people add joost --gate wardens --generate`,
      `${tool} install --yes --no-rehearsal || true`,
      `${tool} undo front --yes`,
      `${tool} editions`,
      'kill "$(head -n 1 /run/haproxy.pid)"',
    ].join('; '),
  ).replace(/\s+/g, ' ');
  service.close();
  expect(said).toContain('/etc/default/haproxy does not name this folder');
  for (const words of ['Edition 0001 is live', 'Edition 0002 is live', 'changed 01-people.cfg', 'Edition 0003 is live'])
    expect(said).toContain(words);
  expect(said).toMatch(/Live now: edition 0002/);
  expect(said).toMatch(/0003 [^ ]+ [^ ]+ .*taken back: undone/);
});
