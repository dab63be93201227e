import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { readSeen } from '../src/core/look/seen.ts';
import { lookScript } from '../src/core/look/script.ts';
import { makeNamespaces, reaches, removeNamespaces, until } from './support/network.ts';
import { plannedOf } from './support/plan.ts';
import { folderWith, mileMarker, program, says, stop, type Ran } from './support/program.ts';

/** What another machine sees, brought back as a file: the script is run by the shell, with the curl and the openssl of this machine. */

const elsewhere = 'mm-look';
const hosts = `/etc/netns/${elsewhere}`;

interface Report {
  vantage: { place: string };
  roads: Array<{ name: string; legs: Record<string, { outcome: string; says: string }> }>;
  findings: Array<{ rule: string; severity: string; roads: string[] }>;
}

beforeAll(() => {
  if (!existsSync('/usr/bin/curl')) throw new Error('curl is missing; install it with: apt-get install -y curl');
  makeNamespaces([elsewhere]);
  mkdirSync(hosts, { recursive: true });
  const names = ['nestcam', 'roster', 'moved', 'live', 'asleep'].map((name) => `127.0.0.1 ${name}.saltmarsh.example\n`);
  writeFileSync(join(hosts, 'hosts'), `127.0.0.1 localhost\n${names.join('')}127.0.0.1 late.saltmarsh.example\n`);
});

afterAll(() => {
  removeNamespaces([elsewhere]);
  rmSync(hosts, { recursive: true, force: true });
});

const argvInside = (...argv: string[]): string[] => ['netns', 'exec', elsewhere, ...argv];

function inside(folder: string, ...argv: string[]): Ran {
  const env = { PATH: process.env['PATH'] ?? '', HOME: folder, DOCKER_HOST: 'none' };
  const { status, stdout, stderr } = spawnSync('/usr/sbin/ip', argvInside(...argv), {
    cwd: folder,
    env,
    encoding: 'utf8',
  });
  return { code: status, out: stdout, err: stderr };
}

/** A page, and live connections at /live. */
const service = `const server = require('http').createServer((q, s) => s.end('<title>Nest camera</title>' + '<li>one bird'.repeat(12)));
new (require(${JSON.stringify(require.resolve('ws'))}).WebSocketServer)({ server, path: '/live' });
server.listen(3000, '127.0.0.1');`;

/** A front made by hand. It knows no upgrades. */
const handMade = (tls: string, current: string): string => `const { readFileSync } = require('fs');
const pair = { cert: readFileSync('${current}/certificate.pem'), key: readFileSync('${current}/key.pem') };
const pass = (q, s) => require('http').get({ port: 3000, path: q.url }, (a) => { s.writeHead(a.statusCode, a.headers); a.pipe(s); });
const known = (name, done) => done(name === 'nestcam.saltmarsh.example' ? null : new Error('unknown'));
require('https').createServer({ ...pair, SNICallback: known, ...${tls} }, pass).on('tlsClientError', () => 0).listen(443, '127.0.0.1');
require('http').createServer((q, s) => s.writeHead(308, { location: 'https://' + q.headers.host + q.url }).end()).listen(80, '127.0.0.1', () => console.error('Serving'));`;

test('a front is judged by what the script saw: well as it is, and what is wrong is found', async () => {
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, home-networks: [192.168.64.0/24]}
roads:
  nestcam: {to: ":3000", gate: everyone, expect: {path: "/it's"}}
  roster: {to: ":3000", gate: home}
  moved: {redirect: "https://www.example.org", gate: everyone}
  live: {to: ":3000", gate: everyone, expect: {path: /live, websocket: true}}
  asleep: {to: ":3000", gate: everyone, paused: true}
`,
  });
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  const page = spawn('/usr/sbin/ip', argvInside(process.execPath, '-e', service));
  const front = spawn('/usr/sbin/ip', argvInside(process.execPath, program, 'serve'), {
    cwd: folder,
    env: { PATH: process.env['PATH'] ?? '', HOME: folder, DOCKER_HOST: 'none' },
  });
  try {
    await says(front, 'Serving');
    await until(() => reaches(elsewhere, '127.0.0.1', 3000));
    writeFileSync(join(folder, 'look.sh'), (await mileMarker(['verify', '--script'], folder)).out);
    const look = (): void => writeFileSync(join(folder, 'seen.txt'), inside(folder, 'sh', 'look.sh').out);
    const read = (): Ran => inside(folder, process.execPath, program, 'verify', '--read', 'seen.txt', '--json');
    look();
    const well = JSON.parse(read().out) as Report;
    const unproven = well.findings.filter(({ rule }) => rule !== 'certificate-practice');
    expect(unproven.map(({ rule, roads }) => [rule, roads])).toEqual([
      ['not-tested-behind-gate', ['roster.saltmarsh.example']],
    ]);
    const cells = well.roads.map(({ name, legs }) => [
      name.split('.')[0],
      legs['dns']?.says,
      legs['tls']?.outcome,
      legs['redirect']?.says,
      legs['service']?.says,
      legs['websocket']?.says,
    ]);
    expect(cells).toEqual([
      ['nestcam', '127.0.0.1', 'ok', '308', '200', 'not expected'],
      ['roster', '127.0.0.1', 'ok', '308', 'behind its gate', 'not expected'],
      ['moved', '127.0.0.1', 'ok', '308', 'to www.example.org', 'not expected'],
      ['live', '127.0.0.1', 'ok', '308', '200', 'open'],
      ['asleep', '127.0.0.1', 'ok', '308', 'paused', 'not expected'],
    ]);
    // A road that is not live yet, a gate that the running front does not have, and one whose name is missing.
    const map = readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');
    const text = `${map.replace('everyone, expect: {path: "/it\'s"}', 'home')}  late: {to: ":3000", gate: everyone}\n  unnamed: {to: ":3000", gate: everyone}\n`;
    writeFileSync(join(folder, 'mile-marker.yaml'), text);
    writeFileSync(join(folder, 'look.sh'), (await mileMarker(['verify', '--script'], folder)).out);
    look();
    const { findings } = JSON.parse(read().out) as Report;
    const told = findings.filter(({ severity }) => severity === 'error');
    expect(told.map(({ rule, roads }) => [rule, roads.map((name) => name.split('.')[0])])).toEqual([
      ['gate-open', ['nestcam']],
      ['handshake-refused', ['late']],
      ['dns-missing', ['unnamed']],
    ]);
  } finally {
    page.kill('SIGKILL');
    await stop(front, 'SIGTERM');
  }
});

test.each([
  ['a weak suite', "{ maxVersion: 'TLSv1.2', ciphers: 'ECDHE-ECDSA-AES128-SHA' }", 'tls-weak-suite'],
  ['HTTP/2 that is chosen and not spoken', "{ ALPNProtocols: ['h2', 'http/1.1'] }", 'chosen-http2-not-spoken'],
])('the script sees %s, and a live connection that is not passed', async (_, tls, rule) => {
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, home-networks: [192.168.64.0/24]}
roads:
  nestcam: {to: ":3000", gate: everyone, expect: {path: /live, websocket: true}}
`,
  });
  await mileMarker(['certs', 'make'], folder);
  const current = join(folder, '.mile-marker/certificates/nestcam.saltmarsh.example/current');
  const running = [service, handMade(tls, current)].map((text) =>
    spawn('/usr/sbin/ip', argvInside(process.execPath, '-e', text)),
  );
  try {
    await until(() => [80, 443, 3000].every((port) => reaches(elsewhere, '127.0.0.1', port)));
    writeFileSync(join(folder, 'look.sh'), (await mileMarker(['verify', '--script'], folder)).out);
    writeFileSync(join(folder, 'seen.txt'), inside(folder, 'sh', 'look.sh').out);
    const { out } = inside(folder, process.execPath, program, 'verify', '--read', 'seen.txt', '--json');
    const { findings } = JSON.parse(out) as Report;
    const told = findings.filter(({ severity }) => severity !== 'note').map((one) => one.rule);
    expect(told.sort()).toEqual([rule, 'websocket-not-passed'].sort());
  } finally {
    for (const child of running) child.kill('SIGKILL');
  }
});

test('a file that is no record of the script, or was cut off, is refused with the line', async () => {
  const folder = folderWith({
    'mile-marker.yaml': 'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nroads: {a: ":9"}\n',
    other: 'hello\n',
    cut: 'mile-marker-look 1\nask 4 http a.saltmarsh.example 80 /\nexit 0\n',
    odd: 'mile-marker-look 1\nask 4 http a.saltmarsh.example 80 /\nexit 0\nrm -rf /\nend\n',
  });
  const words = async (file: string): Promise<[number | null, string]> => {
    const { code, err } = await mileMarker(['verify', '--read', file], folder);
    return [code, err];
  };
  expect(await words('other')).toEqual([2, expect.stringContaining('other:1: this is not the output of the script')]);
  expect(await words('cut')).toEqual([2, expect.stringContaining('it was cut off')]);
  expect(await words('odd')).toEqual([2, expect.stringContaining('odd:4: ')]);
});

test('a record with a certificate that cannot be read is judged all the same', async () => {
  const hex = (text: string): string => Buffer.from(text).toString('hex');
  const garbage = hex('CONNECTED(3)\n-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----\n');
  const look = (scheme: string, port: number): string =>
    `ask 4 ${scheme} a.saltmarsh.example ${String(port)} /\nfrom 127.0.0.1\nto 127.0.0.1\nconnected 0.01\nexit 0\nerror \nbytes ${hex('HTTP/1.1 200 OK\r\n\r\nhello')}\n`;
  const folder = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nroads: {a: {to: ":9", gate: everyone}}\n',
    seen: `mile-marker-look 1\n${look('http', 80)}${look('https', 443)}shake 4 a.saltmarsh.example 443\nbytes ${garbage}\nold  \nend\n`,
  });
  const { code, out } = await mileMarker(['verify', '--read', 'seen', '--json'], folder);
  const { findings } = JSON.parse(out) as Report;
  expect([code, findings.map(({ rule }) => rule)]).toEqual([1, ['handshake-refused']]);
});

test('whatever a map expects, the script asks for just that: the shell makes nothing else of it', () => {
  // A target of the map has neither spaces nor control characters.
  const special = [...`abc/'"$\`\\;&|<>(){}[]*?!~#%=-`];
  const target = fc.array(fc.constantFrom(...special), { maxLength: 30 }).map((letters) => `/${letters.join('')}`);
  fc.assert(
    fc.property(target, (text) => {
      const { plan } = plannedOf('domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {a: ":9"}\n');
      const question = { scheme: 'http' as const, name: 'a.saltmarsh.example', port: 80, target: text, address: null };
      const script = lookScript({
        roads: plan.roads,
        questions: [{ ...question, host: null }],
        live: [{ ...question, port: 443, host: question.name }],
        shakes: [],
      });
      const asked = script.split('\n').filter((line) => /^(look|live) 4/.test(line));
      const tell = `look() { printf '%s\\n' "$5"; }\nlive() { printf '%s\\n' "$4"; }\n`;
      const { stdout } = spawnSync('sh', ['-c', `${tell}${asked.join('\n')}`], { encoding: 'utf8' });
      expect(stdout).toBe(`${text}\n${text}\n`);
    }),
    { numRuns: 60 },
  );
});

test('with --at the script asks at that address and port alone, by the name as visitors write it', async () => {
  const folder = folderWith({
    'mile-marker.yaml': 'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {a: ":9"}\n',
  });
  const { out, err } = await mileMarker(['verify', '--script', '--at', '[2001:db8:40::24]:8443'], folder);
  const asked = out.split('\n').filter((line) => /^(look|shake|live) /.test(line));
  expect(asked.filter((line) => line.includes('a.saltmarsh.example'))).toEqual([
    "look 6 http a.saltmarsh.example 80 '/mile-marker-probe/a%2Fb?kept=%2F' '[2001:db8:40::24]'",
    "look 6 https a.saltmarsh.example 8443 / '[2001:db8:40::24]' a.saltmarsh.example",
    "look 6 https a.saltmarsh.example 8443 '/mile-marker-probe/a%2Fb?kept=%2F' '[2001:db8:40::24]' a.saltmarsh.example",
    "look 6 https a.saltmarsh.example 8443 '/mile-marker-probe/deep%20%2B?kept=b' '[2001:db8:40::24]' a.saltmarsh.example",
    "shake 6 a.saltmarsh.example 8443 '[2001:db8:40::24]'",
  ]);
  expect(err).toContain('mile-marker verify --read seen.txt --at [2001:db8:40::24]:8443');
});

test('no text at all makes reading it fail in another way than by saying why', () => {
  const line = fc.oneof(
    fc.string(),
    fc.constantFrom(
      'ask 4 http a 80 /',
      'shake 6 a 443',
      'live 4 a 443 /x',
      'two 0 2',
      'exit 7',
      'bytes 4854',
      'bytes 4',
      'to x',
      'end',
      'old TLSv1 NONE',
    ),
  );
  fc.assert(
    fc.property(fc.array(line), (lines) => {
      const seen = readSeen(['mile-marker-look 1', ...lines].join('\n'));
      if ('answers' in seen) expect(lines).toContain('end');
      else expect(seen.why).not.toBe('');
    }),
  );
});
