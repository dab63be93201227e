import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { standalone } from '../src/core/proxies/nginx/renderer.ts';
import { largeMapFolder, roadName } from './large-map.ts';
import { median, secondsSince } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/**
 * What the written files cost nginx itself, against the smallest hand-made ones that lead the same names to the same places over HTTPS, send plain HTTP
 * there, and refuse names that they do not know in the handshake.
 */
const rounds = 5;
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const nginx = '/usr/sbin/nginx';
const cases = [
  { roads: 1000, pairs: false },
  { roads: 10_000, pairs: false },
  { roads: 1000, pairs: true },
];

/** @property test and @property reload seconds @property memory of one worker, its share of what is shared (proc(5), Pss), megabytes */
interface Cost {
  test: number;
  reload: number;
  memory: number;
}

export async function measureNginxFiles(only = ''): Promise<boolean> {
  if (!existsSync(nginx)) {
    process.stdout.write('nginx-files: not measured. Install what is missing: apt-get install nginx-light\n');
    return true;
  }
  const rows: Row[] = [];
  for (const one of cases) {
    const name = `nginx, ${one.roads.toLocaleString('en')} names${one.pairs ? ', a pair each' : ''}`;
    if (!name.includes(only)) continue;
    const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
    try {
      for (const row of await rowsOf(name, one, folder)) {
        rows.push(row);
        reportRow(row);
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  }
  return rows.every(({ passed }) => passed);
}

async function rowsOf(name: string, { roads, pairs }: (typeof cases)[number], folder: string): Promise<Row[]> {
  const ports = { http: 28_080, https: 28_443, mark: 28_180 };
  largeMapFolder(folder, { roads, proxy: 'nginx', pairs, ports });
  for (const argv of [['certs', 'make'], ['write']])
    execFileSync(process.execPath, [program, ...argv], { cwd: folder, stdio: 'ignore' });
  const ours = configIn(folder, 'ours', `include "${folder}/.mile-marker/front/current/front.conf";`);
  const other = configIn(folder, 'other', handMade(folder, roads, pairs, ports));
  const [own, others]: [Cost[], Cost[]] = [[], []];
  for (let round = 0; round < rounds; round += 1) {
    others.push(await costOf(other));
    own.push(await costOf(ours));
  }
  return (['test', 'reload', 'memory'] as const).map((what) => {
    const [mine, theirs] = [own, others].map((costs) => median(costs.map((cost) => cost[what])));
    const ratio = (mine ?? NaN) / (theirs ?? NaN);
    const unit = what === 'memory' ? 'MB' : 's';
    return {
      what: `${name}: ${what}`,
      found: `${(mine ?? NaN).toFixed(2)} against ${(theirs ?? NaN).toFixed(2)} ${unit}, ${ratio.toFixed(2)} times`,
      limit: 'at most 1.1',
      passed: ratio <= 1.1,
    };
  });
}

/** @property config path of a whole configuration @property run folder with its pid */
interface Config {
  config: string;
  run: string;
}

function configIn(folder: string, name: string, lines: string): Config {
  const run = join(folder, `run-${name}`);
  mkdirSync(run);
  const whole = standalone({ current: '/dev/null', runFolder: run, user: 'root' });
  const config = join(run, 'nginx.conf');
  writeFileSync(
    config,
    whole.replace(/include "\/dev\/null\/front\.conf";/, () => lines),
  );
  return { config, run };
}

/** By name to an address in one `map`, as many servers as there are certificates. */
function handMade(
  folder: string,
  roads: number,
  pairs: boolean,
  { http, https }: { http: number; https: number },
): string {
  const names = Array.from({ length: roads }, (_, index) => `${roadName(index)}.saltmarsh.example`);
  const to = (index: number): string =>
    `10.${String(64 + (index >> 16))}.${String((index >> 8) & 255)}.${String(index & 255)}:8080`;
  const serve = (own: readonly string[], id: string, pass: string): string =>
    `server {\n  listen 127.0.0.1:${String(https)} ssl http2;\n  server_name ${own.join('\n    ')};\n  ssl_certificate ${folder}/.mile-marker/certificates/${id}/current/certificate.pem;\n  ssl_certificate_key ${folder}/.mile-marker/certificates/${id}/current/key.pem;\n  location / { proxy_pass http://${pass}; proxy_set_header Host $host; }\n}`;
  return [
    `server_names_hash_max_size ${String(roads * 8)};`,
    ...(pairs ? [] : [`map $host $to {\n${names.map((name, index) => `  ${name} ${to(index)};`).join('\n')}\n}`]),
    `server { listen 127.0.0.1:${String(https)} ssl http2 default_server; ssl_reject_handshake on; }`,
    `server { listen 127.0.0.1:${String(http)} default_server; return 444; }`,
    `server {\n  listen 127.0.0.1:${String(http)};\n  server_name ${names.join('\n    ')};\n  return 308 https://$host:${String(https)}$request_uri;\n}`,
    ...(pairs ? names.map((name, index) => serve([name], name, to(index))) : [serve(names, 'marsh', '$to')]),
  ].join('\n');
}

async function costOf({ config, run }: Config): Promise<Cost> {
  const begin = process.hrtime.bigint();
  const { status, stderr } = spawnSync(nginx, ['-t', '-q', '-c', config, '-e', 'stderr'], { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  const test = secondsSince(begin);
  const child = spawn(nginx, ['-c', config, '-e', join(run, 'error.log'), '-g', 'daemon off;'], { stdio: 'ignore' });
  const closed = new Promise((resolve) => child.once('close', resolve));
  const [first = 0] = await workersOf(child.pid ?? 0, 0);
  await pause(200);
  const memory = pssOf(first);
  const told = process.hrtime.bigint();
  child.kill('SIGHUP');
  await workersOf(child.pid ?? 0, first);
  const reload = secondsSince(told);
  child.kill('SIGTERM');
  await closed;
  return { test, reload, memory };
}

/** Waits for a worker that is not the one known. */
async function workersOf(master: number, known: number): Promise<number[]> {
  for (let tries = 0; tries < 6000; tries += 1) {
    const fresh = childrenOf(master).filter((pid) => pid !== known);
    if (fresh.length > 0) return fresh;
    await pause(10);
  }
  throw new Error('nginx has started no worker within a minute');
}

function childrenOf(pid: number): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .filter((name) => {
      try {
        return readFileSync(`/proc/${name}/stat`, 'latin1').split(') ')[1]?.split(' ')[1] === String(pid);
      } catch {
        return false;
      }
    })
    .map(Number);
}

function pssOf(pid: number): number {
  const kilobytes = /^Pss: +(\d+)/m.exec(readFileSync(`/proc/${String(pid)}/smaps_rollup`, 'latin1'))?.[1];
  return Number(kilobytes) / 1024;
}
