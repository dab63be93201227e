import { proxyNames } from '../src/core/proxies/names.ts';
import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import bcrypt from 'bcryptjs';
import { programOf } from '../src/core/proxies/programs.ts';
import { nginxProgram, type ProxyName } from './support/fronts.ts';
import { folderWith, mileMarker, program, type Ran } from './support/program.ts';

/** A rehearsal on the map's real addresses and ports, with services that stand nowhere on this machine. */

const map = (proxy: ProxyName): string => `domains: [saltmarsh.example, reedbed.example]
front:
  address: [203.0.113.24, "2001:db8:40::24"]
  home-networks: [192.168.64.0/24]
  proxy: ${proxy}
  edge: {networks: [198.51.100.0/24]}
engine: none
gates:
  wardens: {people: w, networks: [192.168.64.0/24, "fd40:64::/48"], need: any, except: [/hooks/]}
  ringers: {people: w}
roads:
  saltmarsh.example: {redirect: "https://www.saltmarsh.example", gate: everyone}
  www: {${programOf(proxy).limits.folders ? 'folder: ./site' : 'to: ":8087"'}, gate: everyone}
  sightings: {to: ":8081"}
  nestcam: {to: ":8082", gate: everyone, rate: 5/s burst 3}
  roster: {to: ":8083", gate: wardens, paths: {/api: {to: ":8084"}, /old: {redirect: /new/}}}
  rings: {to: ":8085", gate: ringers${programOf(proxy).limits.logFiles ? ', log: logs/rings.log' : ''}}
  station: {to: "https://station.example.org:8443", gate: everyone, cors: {origins: ["https://www.saltmarsh.example"]}}
  tides: {to: "http://tides.example.org:8080", gate: everyone}
  office: {to: "https://192.168.64.11", upstream-insecure: true}
  asleep: {to: ":8086", paused: true}
  others: {redirect: "https://www.saltmarsh.example", gate: everyone}
`;
const ports = 'ports: {8883/tcp: {to: ":1883", gate: everyone}}\n';

function place(proxy: ProxyName, more = ''): string {
  const folder = folderWith({
    'mile-marker.yaml': map(proxy) + more,
    'site/index.html': 'marsh',
    w: `edda:${bcrypt.hashSync('a tern', 4)}\n`,
  });
  chmodSync(folder, 0o755);
  return folder;
}

/** A program of this name first on the PATH. */
function instead(folder: string, name: string, script: string): Record<string, string> {
  const bin = join(folder, 'bin');
  mkdirSync(bin);
  writeFileSync(join(bin, name), `#!/bin/sh\n${script}\n`);
  chmodSync(join(bin, name), 0o755);
  return { PATH: `${bin}${delimiter}${process.env['PATH'] ?? ''}` };
}

interface Document {
  how: string;
  why: string | null;
  summary: { played: number; went: number; untested: number };
  cases: Array<{ road: string; what: string; expected: string; got: string; untested: string | null }>;
}
const documentOf = ({ out }: Ran): Document => JSON.parse(out) as Document;

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  const hasPorts = programOf(proxy).limits.rawPorts.length > 0;

  test('the very files, on the real addresses and ports, do what they are meant to; nothing is left', async () => {
    const folder = place(proxy, hasPorts ? ports : '');
    const before = readdirSync(folder);
    const { code, out } = await mileMarker(['rehearse', '--json', '--all'], folder);
    const { how, summary, cases } = documentOf({ code, out, err: '' });
    expect([code, how, summary.went]).toEqual([0, 'sealed', 0]);
    expect(summary.played).toBeGreaterThan(300);
    expect(cases).toEqual(
      expect.arrayContaining([
        expect.objectContaining({
          road: 'roster.saltmarsh.example',
          what: 'GET /api/, as edda',
          got: '200 from 127.0.0.1:8084',
        }),
        expect.objectContaining({ road: 'rings.saltmarsh.example', what: 'GET /, from home', got: '401' }),
        expect.objectContaining({
          road: 'station.saltmarsh.example',
          what: 'WebSocket, from the internet',
          got: '101 from station.example.org:8443',
        }),
        expect.objectContaining({
          road: 'tides.saltmarsh.example',
          what: 'GET /, from the edge',
          got: '200 from tides.example.org:8080',
        }),
      ]),
    );
    const why = new Set(cases.flatMap(({ untested }) => untested ?? []));
    expect([...why].sort()).toEqual([
      ...(programOf(proxy).limits.rawPorts.length > 0 ? [expect.stringMatching(/^a rehearsal does not test raw/)] : []),
      expect.stringMatching(/^its service has port 443/),
      expect.stringMatching(/^more than the rate of nestcam/),
    ]);
    expect(readdirSync(folder)).toEqual(before);
  });

  test('where nothing can be sealed it plays on loopback, and says what differed', async () => {
    const folder = place(proxy);
    const env = instead(folder, 'unshare', 'echo "unshare: unshare failed: Operation not permitted" >&2; exit 1');
    const ran = await mileMarker(['rehearse'], folder, env);
    expect([ran.code, ran.out, ran.err.replace(/\s+/g, ' ')]).toEqual([
      0,
      '',
      expect.stringMatching(
        /on loopback: \d+ requests, all as planned[^]*does not allow an isolated network[^]*throwaway certificates/,
      ),
    ]);
  });
});

test('an ordinary user rehearses just so', () => {
  const folder = place('nginx');
  execFileSync('chown', ['-R', '65534:65534', folder]);
  const argv = [
    '--reuid',
    '65534',
    '--regid',
    '65534',
    '--clear-groups',
    process.execPath,
    program,
    'rehearse',
    '--json',
  ];
  const out = execFileSync('setpriv', argv, {
    cwd: folder,
    env: { PATH: process.env['PATH'], HOME: folder },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  expect(documentOf({ code: 0, out: out.toString(), err: '' })).toMatchObject({ how: 'sealed', summary: { went: 0 } });
});

test('a front that lets past a gate, and one that leads astray, are found out', async () => {
  const folder = place('nginx');
  const files = `${folder}/.mile-marker/front/current`;
  const spoil = `sed -i '/^ *auth_basic/d; s/127.0.0.1:8081/127.0.0.1:8082/' ${files}/*.conf ${files}/roads/*.conf`;
  mkdirSync(join(folder, 'installed'));
  writeFileSync(join(folder, 'installed.conf'), `events {}\nhttp { include ${folder}/installed/*.conf; }\n`);
  const installed = `set -- -c ${folder}/installed.conf -T`;
  const words = `case "$*" in *-t*) ${spoil};; *-T*) ${installed};; esac\nexec ${nginxProgram()} "$@"`;
  const env = instead(folder, 'nginx', words);
  const ran = await mileMarker(['rehearse', '--json'], folder, env);
  expect(ran.code).toBe(1);
  const wrong = documentOf(ran).cases.map(({ road, what, expected, got }) => `${road}: ${what}: ${expected}, ${got}`);
  expect(wrong).toContain('rings.saltmarsh.example: GET /, from the internet: 401, 200 from 127.0.0.1:8085');
  expect(wrong).toContain(
    'sightings.saltmarsh.example: GET /, from home: 200 from 127.0.0.1:8081, 200 from 127.0.0.1:8082',
  );
  expect(wrong.every((line) => /^(null: )?(rings|roster|sightings)/.test(line))).toBe(true);
  const told = await mileMarker(['rehearse'], folder, env);
  expect(told.out).toMatch(/rings[^]*expected {2}401\n +got {7}200 from 127\.0\.0\.1:8085/);
  expect(told.out).toMatch(/and \d+ more requests, listed by --verbose/);
  expect(readFileSync(join(folder, 'w'), 'utf8')).toMatch(/^edda:\$2/);
  const install = await mileMarker(['install', '--yes', '--json'], folder, env);
  const refused = JSON.parse(install.out) as { end: string; rehearsal: { summary: unknown; cases: unknown[] } };
  expect([install.code, refused.end]).toEqual([1, 'refused']);
  expect(refused.rehearsal.cases).toHaveLength(wrong.length);
  expect(existsSync(join(folder, '.mile-marker/front/journal.jsonl'))).toBe(false);
});
