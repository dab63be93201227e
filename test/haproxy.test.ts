import { execFile } from 'node:child_process';
import { chmodSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
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
  expect([removed.code, removed.err]).toEqual([
    0,
    expect.stringContaining('haproxy lets them in until the map is live'),
  ]);
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

test('many roads share files and lines that it can read, and a road more changes few of them', async () => {
  const { head } = await practiceHead('haproxy');
  const roads = (count: number): string =>
    Array.from({ length: count }, (_, index) => `  hide-${String(index)}: {to: ":9", gate: everyone}\n`).join('');
  const map = (count: number): string =>
    `${head}certificates: {marsh: {names: [saltmarsh.example], wildcard: true, from: practice}}\nroads:\n${roads(count)}`;
  const folder = folderWith({ 'mile-marker.yaml': map(1500) });
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const current = join(folder, '.mile-marker/front/current');
  expect(readdirSync(current).filter((file) => file.endsWith('.cfg')).length).toBeLessThan(270);
  const front = await startFront(folder, 'haproxy');
  await front.stop();
  writeFileSync(join(folder, 'mile-marker.yaml'), map(1501));
  const { out } = await mileMarker(['write', '--dry-run'], folder);
  expect(out.match(/changed roads-[0-9a-f]{2}\.cfg/g)).toHaveLength(1);
});

/** In a mount namespace of its own (mount_namespaces(7)), where /run and the settings of the package are the test's. */
async function inside(folder: string, script: string): Promise<string> {
  const mounts = `mount -t tmpfs none /run && mount --bind ${folder}/default /etc/default/haproxy && mount --bind ${folder}/etc /etc/haproxy`;
  const argv = ['-m', 'sh', '-c', `${mounts} && { ${script}; } 2>&1`];
  return (await promisify(execFile)('unshare', argv, { cwd: folder, timeout: 200_000 })).stdout;
}

test('install says how the package is told of the folder once; then it brings editions live, people too, and takes them back', async () => {
  haproxyProgram();
  const service = await listening(
    http.createServer((_, response) => response.end('gull')),
    0,
  );
  const [http_ = 0, https = 0, mark = 0] = await freePorts(3);
  const map = (road: string): string => `domains: [saltmarsh.example]
front: {address: 127.0.0.1, home-networks: [127.0.0.0/8], proxy: haproxy, ports: {http: ${String(http_)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
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
    'etc/haproxy.cfg': 'global\n    maxconn 100\n',
  });
  chmodSync(folder, 0o755);
  mkdirSync(join(folder, 'out'));
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const tool = `node ${program}`;
  const said = (
    await inside(
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
    )
  ).replace(/\s+/g, ' ');
  service.close();
  expect(said).toContain('/etc/default/haproxy does not name this folder');
  for (const words of ['Edition 0001 is live', 'Edition 0002 is live', 'changed 01-people.cfg', 'Edition 0003 is live'])
    expect(said).toContain(words);
  expect(said).toMatch(/Live now: edition 0002/);
  expect(said).toMatch(/0003 .* undone/);
});

const defaults = `defaults
    mode http
    timeout client 5s
    timeout server 5s
    timeout connect 5s
`;

test('what it serves by files of others is known: to survey, to check, and as a first map', async () => {
  haproxyProgram();
  const [plain = 0, https = 0] = await freePorts(2);
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: haproxy, ports: {http: ${String(plain)}, https: ${String(https)}}}
engine: none
roads:
  log: {to: ":9", gate: everyone}
`,
    'new/.keep': '',
    default: '',
    'etc/haproxy.cfg': '',
  });
  const base = (pair: string): string => `${defaults}frontend web
    bind 127.0.0.1:${String(plain)}
    bind 127.0.0.1:${String(https)} ssl crt ${pair}
    use_backend log if { hdr(host) -i log.saltmarsh.example }
backend log
    server one 127.0.0.1:9
`;
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const [, listed = ''] =
    /^"?([^\s"]+\.pem)"?/m.exec(readFileSync(join(folder, '.mile-marker/front/current/certificates.list'), 'utf8')) ??
    [];
  writeFileSync(join(folder, 'etc/haproxy.cfg'), base(listed));
  const tool = `node ${program}`;
  const run = async (...commands: string[]): Promise<string> => inside(folder, commands.join('; '));
  const survey = await run(`${tool} survey`);
  const check = await run(`${tool} check || true`);
  const made = await run(`cd new && ${tool} init --from haproxy --address 127.0.0.1 && cat mile-marker.yaml`);
  writeFileSync(
    join(folder, 'etc/haproxy.cfg'),
    base(listed).replace('use_backend log if { hdr(host) -i log.saltmarsh.example }', 'default_backend log'),
  );
  const nameless = await run(`cd new && rm mile-marker.yaml; ${tool} init --from haproxy --address 127.0.0.1 || true`);
  expect(nameless).toMatch(
    /serves no name that fits on a map\. \/etc\/haproxy\/haproxy\.cfg:10, default_backend log: answers every name that is not named/,
  );
  // What it cannot read is said, and no map is made of half of it.
  writeFileSync(join(folder, 'etc/haproxy.cfg'), `${base(join(folder, 'gone.pem'))}    nonsense\n`);
  const refused = await run(
    ...['survey', 'check', 'init --from haproxy --address 127.0.0.1'].map((command) => `${tool} ${command} || true`),
  );
  expect(survey).toMatch(
    /served by the installed haproxy, .*\n {2}log\.saltmarsh\.example in \/etc\/haproxy\/haproxy\.cfg:7/,
  );
  expect(check.replace(/\s+/g, ' ')).toMatch(
    /default-server-taken .*haproxy\.cfg, line 7\. do: .*--replace \/etc\/haproxy\/haproxy\.cfg.* name-already-served .*haproxy\.cfg, line 7/,
  );
  expect(made).toContain(`from: {files: {certificate: ${listed}, key: ${listed}.key}}`);
  expect(made).toMatch(/log\.saltmarsh\.example:\n {4}to: ":9"\n {4}gate: everyone/);
  expect(refused.match(/gone\.pem' : No such file or directory/g)).toHaveLength(3);
});

test('a frontend by hand on the ports of the map becomes a comment when it is replaced, and is back as it was by undo', async () => {
  haproxyProgram();
  const [before, after] = await Promise.all(
    ['by hand', 'by the map'].map((text) =>
      listening(
        http.createServer((_, response) => response.end(text)),
        0,
      ),
    ),
  );
  const { head, http: plain, https } = await practiceHead('haproxy');
  const ports = [before, after].map((server) => String(server === undefined ? 0 : portOf(server)));
  const folder = folderWith({
    'mile-marker.yaml': `${head}engine: none\nroads:\n  log: {to: ":${ports[1] ?? ''}", gate: everyone}\n`,
    default: '',
    'etc/haproxy.cfg': '',
  });
  chmodSync(folder, 0o755);
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  writeFileSync(join(folder, 'default'), `EXTRAOPTS="-f ${folder}/.mile-marker/front/current"\n`);
  const byHand = (rest: string): string => `${defaults}
frontend web
    bind 127.0.0.1:${String(plain)}
${rest}    use_backend log if { hdr(host),field(1,:) -i log.saltmarsh.example }

# The log.
backend log
    server one 127.0.0.1:${ports[0] ?? ''}
`;
  const tool = `node ${program}`;
  const asked = `curl -s -k -L --resolve log.saltmarsh.example:${String(plain)}:127.0.0.1 --resolve log.saltmarsh.example:${String(https)}:127.0.0.1 http://log.saltmarsh.example:${String(plain)}/; echo`;
  const replace = `${tool} install --yes --no-rehearsal --replace /etc/haproxy/haproxy.cfg`;
  const run = (...commands: string[]): Promise<string> => inside(folder, commands.join('; '));
  const file = join(folder, 'etc/haproxy.cfg');
  for (const [more, why] of [
    ['    use_backend log if { hdr(host) -i tides.saltmarsh.example }\n', 'also answers tides.saltmarsh.example'],
    ['    bind 127.0.0.1:9\n', 'also listens on 9'],
    ['    use_backend %[req.hdr(host),lower,map(/etc/haproxy/names)]\n', 'reads its names from another file'],
    ['    use_backend log if { hdr_end(host) -i .reedbed.example }\n', 'also answers *.reedbed.example'],
    ['    mode tcp\n', 'passes bytes on'],
  ] as const) {
    writeFileSync(join(folder, 'etc/names'), 'reedbed.example log\n');
    writeFileSync(file, byHand(more));
    expect([more, (await run(`${replace} || true`)).replace(/\s+/g, ' ')]).toEqual([
      more,
      expect.stringContaining(why),
    ]);
    expect(readFileSync(file, 'utf8')).toBe(byHand(more));
  }
  writeFileSync(file, byHand(''));
  const said = await run(
    'haproxy -W -D -p /run/haproxy.pid -f /etc/haproxy/haproxy.cfg',
    asked,
    `${tool} check || true`,
    'kill "$(head -n 1 /run/haproxy.pid)"; rm /run/haproxy.pid',
    replace,
    asked,
    'cat /etc/haproxy/haproxy.cfg',
    `${tool} undo front --yes || true`,
    // As it says; without systemd it is a person who starts haproxy anew.
    ': > /etc/default/haproxy; kill "$(head -n 1 /run/haproxy.pid)"; rm /run/haproxy.pid',
    `${tool} undo front --yes`,
    'haproxy -W -D -p /run/haproxy.pid -f /etc/haproxy/haproxy.cfg',
    asked,
    'kill "$(head -n 1 /run/haproxy.pid)"',
  );
  before?.close();
  after?.close();
  expect(said).toMatch(
    /^(?:\[NOTICE\].*\n)?by hand\n[^]*--replace\s+\/etc\/haproxy\/haproxy\.cfg[^]*is live[^]*\nby the map\n/,
  );
  expect(said).toMatch(/Remove it yourself: EXTRAOPTS=.*\n?.*then: mile-marker undo\s+front[^]*\nby hand\n$/);
  expect(said).toMatch(/# frontend web\n# {5}bind .*\n# {5}use_backend .*\n\n# The log\.\nbackend log\n/);
  expect(readFileSync(file, 'utf8')).toBe(byHand(''));
});
