import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { largeMapFolder, roadName } from './large-map.ts';
import { ended, freePorts, median, resident, secondsSince, startUntil } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/** The builtin front with ten thousand roads beside itself with ten. */
const rounds = 5;
const sizes = [10, 10_000] as const;
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const servicePart = fileURLToPath(new URL('./service.js', import.meta.url));
const reader = fileURLToPath(new URL('./read-yaml.js', import.meta.url));

/** @property start seconds until it serves @property memory megabytes when it does @property https its port */
interface Front {
  child: ChildProcess;
  start: number;
  memory: number;
  https: number;
}

export async function measureLargeFront(): Promise<boolean> {
  if (!existsSync('/usr/bin/h2load')) {
    process.stdout.write('large-front: not measured. Install what is missing: apt-get install nghttp2-client\n');
    return true;
  }
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  const { service: port = 0 } = await freePorts(['service']);
  const service = await startUntil(process.execPath, [servicePart, String(port)], { until: /ready/ });
  try {
    const rows = await rowsIn(folder, port);
    rows.forEach(reportRow);
    return rows.every(({ passed }) => passed);
  } finally {
    service.kill('SIGKILL');
    rmSync(folder, { recursive: true, force: true });
  }
}

async function rowsIn(folder: string, service: number): Promise<Row[]> {
  const folders = sizes.map((roads) => join(folder, String(roads)));
  const ports = await Promise.all(sizes.map(() => freePorts(['http', 'https', 'mark'])));
  for (const [index, roads] of sizes.entries()) {
    const { http = 0, https = 0, mark = 0 } = ports[index] ?? {};
    const to = `http://127.0.0.1:${String(service)}`;
    const own = largeMapFolder(folders[index] ?? '', {
      ...{ roads, proxy: 'builtin', ports: { http, https, mark }, to: () => to, below: to },
    });
    for (const argv of [['certs', 'make'], ['write']])
      execFileSync(process.execPath, [program, ...argv], { cwd: own, stdio: 'ignore' });
  }
  const starts: number[] = [];
  const memories: number[][] = [[], []];
  const perSecond: number[][] = [[], []];
  const reads: number[] = [];
  for (let round = 0; round < rounds; round += 1) {
    reads.push(await secondsOf([reader], folders[1] ?? ''));
    const fronts: Front[] = [];
    for (const [index, own] of folders.entries()) fronts.push(await serve(own, ports[index]?.['https'] ?? 0));
    starts.push(fronts[1]?.start ?? NaN);
    for (const [index, front] of fronts.entries()) {
      memories[index]?.push(front.memory);
      perSecond[index]?.push(load(front, sizes[index] ?? 0));
    }
    for (const { child } of fronts) child.kill('SIGTERM');
    await Promise.all(fronts.map(({ child }) => ended(child)));
  }
  const [few = [], many = []] = perSecond;
  const share = median(many.map((value, round) => value / (few[round] ?? NaN)));
  const start = median(starts.map((seconds, round) => seconds / (reads[round] ?? NaN)));
  const [small = NaN, large = NaN] = memories.map(median);
  return [
    {
      what: 'builtin, 10,000 roads: requests',
      found: `${median(many).toFixed(0)} against ${median(few).toFixed(0)} requests/s with ten, ${share.toFixed(2)} times`,
      limit: 'at least 0.95',
      passed: share >= 0.95,
    },
    {
      what: 'builtin, 10,000 roads: start',
      found: `${median(starts).toFixed(2)} against ${median(reads).toFixed(2)} s of reading the YAML, ${start.toFixed(2)} times`,
      limit: 'at most 2',
      passed: start <= 2,
    },
    {
      what: 'builtin, 10,000 roads: memory',
      found: `${large.toFixed(0)} against ${small.toFixed(0)} MB with ten`,
      limit: 'told',
      passed: true,
    },
  ];
}

async function serve(cwd: string, https: number): Promise<Front> {
  const begin = process.hrtime.bigint();
  const env = { PATH: process.env['PATH'], HOME: cwd, DOCKER_HOST: 'none' };
  const child = await startUntil(process.execPath, [program, 'serve'], { cwd, env, until: /Serving/ });
  return { child, start: secondsSince(begin), memory: resident(child), https };
}

/** To eight names, from all over the map, one after the other. @returns requests a second */
function load({ https }: Front, roads: number): number {
  const rates = Array.from({ length: 8 }, (_, index) => {
    const url = `https://${roadName((index * 1241) % roads)}.saltmarsh.example:${String(https)}/`;
    const args = [`--connect-to=127.0.0.1:${String(https)}`, '--h1', '-n', '1500', '-c', '10', url];
    const said = execFileSync('h2load', args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] });
    if (!said.includes(' 0 failed')) throw new Error(`${url}: ${said}`);
    return Number(/, ([\d.]+) req\/s/.exec(said)?.[1]);
  });
  return median(rates);
}

async function secondsOf(args: string[], cwd: string): Promise<number> {
  const begin = process.hrtime.bigint();
  await ended(spawn(process.execPath, args, { cwd, stdio: 'ignore' }));
  return secondsSince(begin);
}
