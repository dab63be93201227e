import { spawn } from 'node:child_process';
import { basename, join } from 'node:path';
import { writeFileSync } from 'node:fs';
import { networkRows, type NetworkRow } from './faults/rows-network.ts';
import type { Seen } from './faults/rows.ts';
import type { Outcome } from './faults/installation.ts';
import { startEngine, type RunningEngine } from './support/engine.ts';
import { makeNamespaces, reaches, removeNamespaces, until, wire, within } from './support/network.ts';
import { freePorts } from './support/ports.ts';
import { someOf } from './support/some-of.ts';
import { folderWith, mileMarker, program, says, stop } from './support/program.ts';

/** Faults that need a network of their own: a machine with a container engine and the builtin front, and a stranger outside. */

const machine = 'mm-faults';
const stranger = 'mm-faults-out';
const addresses = ['203.0.113.24', '2001:db8:40::24'] as const;
const seen: Seen[] = [];
let engine: RunningEngine;

beforeAll(async () => {
  makeNamespaces([machine, stranger]);
  const here = [`${addresses[0]}/24`, `${addresses[1]}/64`];
  wire({ machine, to: stranger, here, there: ['203.0.113.9/24', '2001:db8:40::9/64'], port: 'wan' });
  const [tlsPort = 0] = await freePorts(1);
  engine = await startEngine(tlsPort, machine);
});

afterAll(async () => {
  await engine.stop();
  removeNamespaces([machine, stranger]);
  const folder = process.env['MILE_MARKER_FAULTS'];
  if (folder !== undefined) writeFileSync(join(folder, `${basename(__filename)}.json`), JSON.stringify(seen));
});

interface NetworkOutcome extends Outcome {
  roads: Array<{ legs: { service: { outcome: string } } }>;
}

async function run(row: NetworkRow): Promise<NetworkOutcome> {
  const leads = row.to?.startsWith('{') === true ? row.to.slice(1, -1) : `to: "${row.to ?? 'nestcam:8080'}"`;
  engine.docker('run', '-d', '--name', 'nestcam', '-p', row.publishes, 'observatory/pages');
  if (row.stopped === true) engine.docker('stop', '-t', '0', 'nestcam');
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front:
  address: [${addresses.map((one) => `"${one}"`).join(', ')}]
  home-networks: [192.168.64.0/24]
engine: unix://${engine.socket}
gates: {loopback: {networks: [127.0.0.0/8, "::1/128"]}, far: {networks: 198.51.100.0/24}}
roads:
  nestcam: {${leads}, ${row.road}}
`,
  });
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  const env = { PATH: process.env['PATH'] ?? '', HOME: folder, DOCKER_HOST: 'none' };
  const inside = (name: string, ...argv: string[]): string[] => [
    'netns',
    'exec',
    name,
    process.execPath,
    program,
    ...argv,
  ];
  const front = spawn('/usr/sbin/ip', inside(machine, 'serve'), { cwd: folder, env });
  try {
    await says(front, 'Serving');
    if (row.firewall !== undefined)
      within(
        machine,
        'nft',
        `table inet marsh { chain way { type filter hook prerouting priority -150; iifname "wan" ${row.firewall}; }; }`,
      );
    const from = row.from === 'machine' ? machine : stranger;
    const argv = inside(
      from,
      'verify',
      '--json',
      '--resolver',
      '127.0.0.1:9',
      '--timeout',
      row.firewall === undefined ? '10s' : '2500ms',
    );
    const child = spawn('/usr/sbin/ip', argv, { cwd: folder, env });
    let [out, err] = ['', ''];
    child.stdout.setEncoding('utf8').on('data', (text: string) => (out += text));
    child.stderr.setEncoding('utf8').on('data', (text: string) => (err += text));
    const code = await new Promise<number | null>((resolve) => child.once('close', resolve));
    const document = (out === '' ? { findings: [], roads: [] } : JSON.parse(out)) as NetworkOutcome;
    return { ...document, code, err };
  } finally {
    within(machine, 'nft', 'delete', 'table', 'inet', 'marsh');
    await stop(front, 'SIGTERM');
    engine.docker('rm', '-f', 'nestcam');
  }
}

// `npm run faults` tries every one.
const rows = process.env['MILE_MARKER_FAULTS'] === undefined ? someOf(networkRows, 2) : networkRows;
test.each(rows.map((row): [string, NetworkRow] => [row.name, row]))('%s', async (name, row) => {
  await until(() => within(machine, 'true').status === 0 && !reaches(machine, '127.0.0.1', 443));
  const { findings, err, roads } = await run(row);
  // No name server lives in this network.
  const told = findings.filter(({ severity, rule }) => severity !== 'note' && rule !== 'dns-no-answer');
  seen.push({ name, rule: row.rule, told: told.map(({ rule }) => rule) });
  const wanted = row.rule === null ? [] : [[row.severity ?? 'error', row.rule]];
  const why = told.length === wanted.length ? '' : err;
  expect({ told: told.map(({ rule, severity }) => [severity, rule]), why }).toEqual({ told: wanted, why: '' });
  expect(told.map(({ message }) => message).join()).toContain(row.says ?? '');
  if (row.service !== undefined) expect(roads[0]?.legs.service.outcome).toBe(row.service);
});
