import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { largeServers, type LargeServer, type Started } from './large-by-hand.ts';
import { largeMapFolder } from './large-map.ts';
import { median, secondsSince } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/**
 * What the written files cost each server itself, against the smallest hand-made ones that lead the same names to the same places over HTTPS, send plain HTTP
 * there, and refuse names that they do not know (`large-by-hand.ts`).
 */
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const cases = [
  { server: 'nginx', roads: 1000, pairs: false, rounds: 5 },
  { server: 'nginx', roads: 10_000, pairs: false, rounds: 5 },
  { server: 'nginx', roads: 1000, pairs: true, rounds: 5 },
  // Minutes each, as below.
  { server: 'nginx', roads: 10_000, pairs: true, rounds: 1 },
  { server: 'haproxy', roads: 1000, pairs: false, rounds: 5 },
  { server: 'haproxy', roads: 10_000, pairs: false, rounds: 5 },
  { server: 'httpd', roads: 1000, pairs: false, rounds: 5 },
  { server: 'httpd', roads: 10_000, pairs: false, rounds: 1 },
] as const;

/** @property test and @property reload seconds @property memory of one worker, its share of what is shared (proc(5), Pss), megabytes */
interface Cost {
  test: number;
  reload: number;
  memory: number;
}

export async function measureWrittenFiles(only = ''): Promise<boolean> {
  const missing = Object.values(largeServers).filter((one) => !existsSync(one.program));
  if (missing.length > 0) {
    const packages = missing.map(({ debian }) => debian).join(' ');
    process.stdout.write(`written-files: not measured. Install what is missing: apt-get install ${packages}\n`);
    return true;
  }
  const rows: Row[] = [];
  for (const one of cases) {
    const name = `${one.server}, ${one.roads.toLocaleString('en')} names${one.pairs ? ', a pair each' : ''}`;
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

async function rowsOf(
  name: string,
  { server, roads, pairs, rounds }: (typeof cases)[number],
  folder: string,
): Promise<Row[]> {
  const ports = { http: 28_080, https: 28_443, mark: 28_180 };
  largeMapFolder(folder, { roads, proxy: server, pairs, ports });
  for (const argv of [['certs', 'make'], ['write']])
    execFileSync(process.execPath, [program, ...argv], { cwd: folder, stdio: 'ignore' });
  const large = largeServers[server];
  const site = { folder, roads, pairs, ports };
  const [ours, byHand] = [large.ours(site), large.byHand(site)];
  const [own, others]: [Cost[], Cost[]] = [[], []];
  for (let round = 0; round < rounds; round += 1) {
    others.push(await costOf(large, byHand));
    own.push(await costOf(large, ours));
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

async function costOf({ program: server, reload: signal }: LargeServer, { test: argv, start }: Started): Promise<Cost> {
  const begin = process.hrtime.bigint();
  const { status, stderr } = spawnSync(server, argv, { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  const test = secondsSince(begin);
  const child = spawn(server, start, { stdio: 'ignore' });
  const closed = new Promise((resolve) => child.once('close', resolve));
  const first = await workersOf(child.pid ?? 0, []);
  await pause(200);
  const memory = pssOf(first[0] ?? 0);
  const told = process.hrtime.bigint();
  child.kill(signal);
  await workersOf(child.pid ?? 0, childrenOf(child.pid ?? 0));
  const reload = secondsSince(told);
  child.kill('SIGTERM');
  await closed;
  return { test, reload, memory };
}

/** Waits for a worker that is none of those known. */
async function workersOf(master: number, known: readonly number[]): Promise<number[]> {
  for (let tries = 0; tries < 24_000; tries += 1) {
    const fresh = childrenOf(master).filter((pid) => !known.includes(pid));
    if (fresh.length > 0) return fresh;
    await pause(10);
  }
  throw new Error('the server has started no worker within four minutes');
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
