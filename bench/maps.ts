import { spawn } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { decide, prepare } from '../src/core/verdict/decide.ts';
import type { VerdictRequest } from '../src/core/verdict/verdict.ts';
import { readPlan } from '../src/core/proxies/builtin/renderer.ts';
import { largeMapFolder, roadName } from './large-map.ts';
import { reportRow, type Row } from './report.ts';

/**
 * What commands cost on a map of a thousand roads and of ten thousand, as ratios to reading the same YAML once with the library that everybody takes;
 * in turn, round after round, medians count.
 */
const rounds = 5;
const sizes = [1000, 10_000] as const;
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const reader = fileURLToPath(new URL('./read-yaml.js', import.meta.url));

/** @property files are written by it, so the other writes them too */
interface Work {
  argv: string[];
  writes?: true;
}

const looks: Work[] = [
  { argv: ['check'] },
  { argv: ['roads'] },
  { argv: ['explain', roadName(3)] },
  { argv: ['survey'] },
  { argv: ['certs'] },
  { argv: ['dns', 'records'] },
];
const write: Work = { argv: ['write'], writes: true };
const edits: Work[] = [
  { argv: ['add', roadName(20_000), 'http://10.126.0.1:8080'] },
  { argv: ['set', roadName(7), 'timeout', '90s'] },
  { argv: ['pause', roadName(8)] },
];

/** @property seconds from its start to its end @property megabytes the most that it held */
interface Cost {
  seconds: number;
  megabytes: number;
}

export async function measureMaps(only = ''): Promise<boolean> {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  try {
    const rows = [...(await commandRows(folder, only)), ...('decide()'.includes(only) ? [decideRow(folder)] : [])];
    return rows.every(({ passed }) => passed);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function commandRows(folder: string, only: string): Promise<Row[]> {
  const rows: Row[] = [];
  const say = (row: Row): void => {
    rows.push(row);
    reportRow(row);
  };
  const smaller = new Map<string, Cost>();
  for (const roads of sizes) {
    const own = largeMapFolder(join(folder, String(roads)), { roads, proxy: 'nginx' });
    await run([program, 'certs', 'make'], own);
    await run([program, 'write'], own);
    for (const work of [...looks, write, ...(roads === 10_000 ? edits : [])]) {
      const name = work.argv.filter((word) => !/^hide-|^http/.test(word)).join(' ');
      if (!name.includes(only)) continue;
      const { cost, other } = await compare(work, own);
      const ratio = cost.seconds / other.seconds;
      const what = `${name}, ${roads.toLocaleString('en')} roads`;
      const than = work.writes === true ? 'reading and writing' : 'reading the YAML';
      say({
        what,
        found: `${seconds(cost)} against ${seconds(other)} of ${than}, ${ratio.toFixed(2)} times`,
        limit: 'at most 2',
        passed: ratio <= 2,
      });
      const before = smaller.get(name);
      if (before === undefined) smaller.set(name, cost);
      else {
        const grows = cost.seconds / before.seconds;
        say({
          what: `${what}: against 1,000`,
          found: `${grows.toFixed(1)} times, ${cost.megabytes.toFixed(0)} MB`,
          limit: 'at most 11, 500 MB',
          passed: grows <= 11 && cost.megabytes <= 500,
        });
      }
      if (work.writes === true) say(await oneChangedRow(own, what, cost));
    }
  }
  for (const argv of [['check'], ['certs']]) {
    const what = `${argv.join(' ')}, 1,000 roads, a pair each`;
    if (!what.includes(only)) continue;
    const own = largeMapFolder(join(folder, 'pairs'), { roads: 1000, proxy: 'nginx', pairs: true });
    await run([program, 'certs', 'make'], own);
    await run([program, 'write'], own);
    const { cost, other } = await compare({ argv }, own);
    const found = `${seconds(cost)} against ${seconds(other)} of reading the YAML`;
    say({ what, found, limit: 'told', passed: true });
  }
  return rows;
}

const seconds = ({ seconds: time }: Cost): string => `${time.toFixed(2)} s`;

async function compare(work: Work, folder: string): Promise<{ cost: Cost; other: Cost }> {
  const written = join(folder, '.mile-marker/front');
  const map = readFileSync(join(folder, 'mile-marker.yaml'));
  const own: Cost[] = [];
  const others: Cost[] = [];
  const files = join(folder, 'the-same');
  const notes = join(folder, '.mile-marker/services');
  if (work.writes === true) {
    cpSync(join(written, 'current/'), files, { recursive: true, dereference: true });
    cpSync(notes, join(files, 'services'), { recursive: true });
  }
  for (let round = 0; round < rounds; round += 1) {
    others.push(await run([reader, ...(work.writes === true ? [files, join(folder, 'copies')] : [])], folder));
    rmSync(join(folder, 'copies'), { recursive: true, force: true });
    if (work.writes === true) for (const made of [written, notes]) rmSync(made, { recursive: true, force: true });
    own.push(await run([program, ...work.argv], folder));
    writeFileSync(join(folder, 'mile-marker.yaml'), map);
  }
  rmSync(files, { recursive: true, force: true });
  return { cost: median(own), other: median(others) };
}

/** Once more after one road has changed. */
async function oneChangedRow(folder: string, what: string, cold: Cost): Promise<Row> {
  const file = join(folder, 'mile-marker.yaml');
  const map = readFileSync(file, 'utf8');
  const costs: Cost[] = [];
  for (let round = 0; round < rounds; round += 1) {
    writeFileSync(file, map.replace(':8080', `:80${String(81 + round)}`));
    costs.push(await run([program, 'write'], folder));
  }
  writeFileSync(file, map);
  const ratio = median(costs).seconds / cold.seconds;
  const row = {
    what: `${what}: one changed`,
    found: `${seconds(median(costs))}, ${ratio.toFixed(2)} times the first`,
    limit: 'at most 0.7',
    passed: ratio <= 0.7,
  };
  return row;
}

/** The verdicts of one core, on plans of a thousand roads and of ten thousand; requests as the builtin front reads them. */
function decideRow(folder: string): Row {
  const [few = 0, many = 0] = [1000, 10_000].map((roads) => {
    const file = join(folder, String(roads), '.mile-marker/front/current/plan.json');
    const plan = existsSync(file) ? readPlan(readFileSync(file, 'utf8')) : null;
    if (plan === null) throw new Error('no plan was written');
    const prepared = prepare(plan);
    const requests = Array.from({ length: 500 }, (_, index) => {
      const name = `${roadName((index * 19) % roads)}.saltmarsh.example`;
      const headers = { host: [name], accept: ['*/*'], 'user-agent': ['bench'] };
      return {
        ...{ sni: name, host: [name], headers, listener: 'https', method: 'GET', target: '/tides?day=2' },
        ...{ httpVersion: '1.1', peer: '192.168.64.20', person: 'none', overRate: false },
        headSize: { lines: 3, longest: 40, hasRepeated: false },
      } satisfies VerdictRequest;
    });
    const perSecond: number[] = [];
    for (let round = 0; round < rounds; round += 1) {
      const begin = process.hrtime.bigint();
      for (let index = 0; index < 200_000; index += 1) {
        const request = requests[index % 500];
        if (request !== undefined) decide(prepared, request);
      }
      perSecond.push(200_000 / (Number(process.hrtime.bigint() - begin) / 1e9));
    }
    return perSecond.sort((a, b) => a - b)[2] ?? 0;
  });
  const row = {
    what: 'decide(), verdicts a second on one core',
    found: `${thousands(few)} with 1,000 roads, ${thousands(many)} with 10,000`,
    limit: 'at least a million',
    passed: Math.min(few, many) >= 1e6,
  };
  reportRow(row);
  return row;
}

const thousands = (count: number): string => Math.round(count).toLocaleString('en');

function median(costs: Cost[]): Cost {
  return (
    [...costs].sort((a, b) => a.seconds - b.seconds)[Math.floor(costs.length / 2)] ?? { seconds: NaN, megabytes: NaN }
  );
}

/** The most memory is what the kernel says at its end (getrusage(2)), told on a descriptor of its own. */
const teller = `process.on('exit', () => require('node:fs').writeSync(3, String(process.resourceUsage().maxRSS)))`;

async function run(args: string[], cwd: string): Promise<Cost> {
  const begin = process.hrtime.bigint();
  const preload = `data:text/javascript,import{createRequire}from'node:module';const require=createRequire('/');${encodeURIComponent(teller)}`;
  const child = spawn(process.execPath, ['--import', preload, ...args], {
    cwd,
    stdio: ['ignore', 'ignore', 'ignore', 'pipe'],
    env: { PATH: process.env['PATH'] },
  });
  let told = '';
  child.stdio[3]?.on('data', (bytes: Buffer) => (told += bytes.toString()));
  const code = await new Promise((resolve) => child.once('close', resolve));
  if (code !== 0) throw new Error(`${args.join(' ')} ended with ${String(code)}`);
  return { seconds: Number(process.hrtime.bigint() - begin) / 1e9, megabytes: Number(told) / 1024 };
}
