import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { largeMapFolder, roadName } from './large-map.ts';
import { median, secondsSince } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/** What the page of three hundred roads with sixty runs behind them costs. */
const roads = 300;
const runs = 60;
const rounds = 5;
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));

export function measureReport(): Promise<boolean> {
  const folder = largeMapFolder(mkdtempSync(join(tmpdir(), 'mile-marker-bench-')), { roads, proxy: 'builtin' });
  try {
    writeRuns(join(folder, '.mile-marker'));
    const argv = [program, 'report', 'page.html'];
    // The first one compiles the program.
    const seconds = Array.from({ length: rounds + 1 }, () => {
      const begin = process.hrtime.bigint();
      const { status, stderr } = spawnSync(process.execPath, argv, { cwd: folder, encoding: 'utf8' });
      if (status !== 0) throw new Error(stderr);
      return secondsSince(begin);
    }).slice(1);
    const time = median(seconds);
    const megabytes = statSync(join(folder, 'page.html')).size / 1e6;
    const what = `report, ${String(roads)} roads, ${String(runs)} runs`;
    const rows: Row[] = [
      { what: `${what}: time`, found: `${time.toFixed(2)} s`, limit: 'at most 2 s', passed: time <= 2 },
      { what: `${what}: size`, found: `${megabytes.toFixed(2)} MB`, limit: 'at most 1 MB', passed: megabytes <= 1 },
    ];
    rows.forEach(reportRow);
    return Promise.resolve(rows.every(({ passed }) => passed));
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Each thirtieth road was down in each run; answers took from 10 to 300 ms. */
function writeRuns(state: string): void {
  mkdirSync(state, { recursive: true });
  const road = (index: number): string => `${roadName(index)}.saltmarsh.example`;
  const entries = Array.from({ length: runs }, (_, run) => ({
    at: new Date(Date.parse('2026-10-01T03:10:00Z') + run * 86_400_000).toISOString(),
    roads,
    findings: [],
    tested: Array.from({ length: roads }, (__, index) => ({
      road: road(index),
      legs: (index + run) % 30 === 0 ? 'kkkk-x-k' : 'kkkk-k-k',
      millis: 10 + ((index * 37 + run * 91) % 290),
    })),
  }));
  const legs = ['dns', 'port', 'tls', 'redirect', 'service', 'bypass'].map((leg) => ({
    leg,
    outcome: 'ok',
    says: '200',
  }));
  const newest = {
    at: entries[runs - 1]?.at,
    vantage: 'Tested from outside.',
    roads: Array.from({ length: roads }, (_, index) => ({ road: road(index), millis: 20, legs })),
    findings: [],
  };
  writeFileSync(join(state, 'verify.jsonl'), entries.map((one) => `${JSON.stringify(one)}\n`).join(''));
  writeFileSync(join(state, 'newest-run.json'), JSON.stringify(newest));
}
