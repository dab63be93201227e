import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { reportRow } from './report.ts';
import { startEngine } from '../src/demo/engine.ts';
import { demoCompose, demoMap, demoServices, type DemoPorts } from '../src/demo/scenario.ts';

/**
 * How long the program takes to start, as ratios to bare Node measured side by side, so that the machine cancels out.
 * Each command runs in turn, round after round; the median of each counts.
 */
const rounds = 21;
const limits: Record<string, number> = { '--version': 1.3, '--help': 1.3, 'check (demo map)': 2.5 };

const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));

export async function measureStartUp(): Promise<boolean> {
  const folder = demoFolder();
  const engine = await startEngine(join(folder, 'engine.sock'), demoPorts());
  const times = await measure({
    'node -e 0': ['-e', '0'],
    '--version': [program, '--version'],
    '--help': [program, '--help'],
    'check (demo map)': [program, 'check', '--map', join(folder, 'mile-marker.yaml')],
  });
  await engine.stop();
  rmSync(folder, { recursive: true, force: true });
  return report(times);
}

function demoPorts(): DemoPorts['services'] {
  return Object.fromEntries(demoServices.map((name, index) => [name, 9301 + index])) as DemoPorts['services'];
}

/** The demo's map and Compose file with certificates, and its engine, so that check has everything to look at. */
function demoFolder(): string {
  const made = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  const services = demoPorts();
  const ports = { http: 8080, https: 8443, mark: 29180, services };
  const map = demoMap({ ports, proxy: 'builtin', engine: `unix://${join(made, 'engine.sock')}`, authority: null });
  writeFileSync(join(made, 'mile-marker.yaml'), map);
  writeFileSync(join(made, 'compose.yaml'), demoCompose(services));
  // It makes certificates without asking the engine, which is not there yet.
  spawnSync(process.execPath, [program, 'certs', 'make'], { cwd: made });
  spawnSync(process.execPath, [program, 'people', 'add', 'edda', '--generate'], { cwd: made });
  return made;
}

async function measure(cases: Readonly<Record<string, string[]>>): Promise<Map<string, number[]>> {
  const times = new Map(Object.keys(cases).map((name) => [name, [] as number[]]));
  for (let round = 0; round < rounds; round += 1) {
    for (const [name, args] of Object.entries(cases)) {
      const begin = process.hrtime.bigint();
      const child = spawn(process.execPath, args, { stdio: 'ignore' });
      const status = await new Promise((resolve) => child.once('close', resolve));
      if (status !== 0) throw new Error(`${name} ended with ${String(status)}`);
      times.get(name)?.push(Number(process.hrtime.bigint() - begin) / 1e6);
    }
  }
  return times;
}

function report(times: ReadonlyMap<string, number[]>): boolean {
  const median = (name: string): number =>
    [...(times.get(name) ?? [])].sort((a, b) => a - b)[Math.floor(rounds / 2)] ?? NaN;
  const bare = median('node -e 0');
  const rows = Object.entries(limits).map(([what, limit]) => ({
    what,
    found: `${median(what).toFixed(0)} against ${bare.toFixed(0)} ms of bare node, ${(median(what) / bare).toFixed(2)} times`,
    limit: `at most ${String(limit)}`,
    passed: median(what) / bare <= limit,
  }));
  rows.forEach(reportRow);
  return rows.every(({ passed }) => passed);
}
