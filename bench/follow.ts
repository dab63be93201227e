import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import https from 'node:https';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { end } from '../test/support/background.ts';
import { MadeEngine } from '../test/support/made-engine.ts';
import { largeMap } from './large-map.ts';
import { makeNginx } from './own-nginx.ts';
import { ended, freePorts, median } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/** How long it takes from the moment at which an engine says that a container has started until its new road answers. */
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));

interface Case {
  proxy: 'builtin' | 'nginx';
  roads: number;
  rounds: number;
  /** Of the median, in milliseconds; null where it is only told. */
  limitMs: number | null;
}

const cases: readonly Case[] = [
  { proxy: 'builtin', roads: 10, rounds: 20, limitMs: 1000 },
  { proxy: 'nginx', roads: 10, rounds: 20, limitMs: 1000 },
  { proxy: 'builtin', roads: 1000, rounds: 7, limitMs: null },
  { proxy: 'nginx', roads: 1000, rounds: 7, limitMs: null },
];

export async function measureFollow(only = ''): Promise<boolean> {
  const rows: Row[] = [];
  for (const one of cases) {
    const what = `follow: ${one.proxy}, ${String(one.roads)} roads, new container`;
    if (!what.includes(only)) continue;
    if (one.proxy === 'nginx' && !existsSync('/usr/sbin/nginx')) continue;
    const times = await measure(one);
    const found = `median ${median(times).toFixed(0)} ms, slowest ${Math.max(...times).toFixed(0)} ms`;
    const limit = one.limitMs === null ? 'as it is' : `median at most ${String(one.limitMs)} ms`;
    const row = { what, found, limit, passed: one.limitMs === null || median(times) <= one.limitMs };
    reportRow(row);
    rows.push(row);
  }
  return rows.every(({ passed }) => passed);
}

async function measure({ proxy, roads, rounds }: Case): Promise<number[]> {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  const engine = new MadeEngine(join(folder, 'engine.sock'));
  const service = http.createServer((_, response) => response.end('gull'));
  const ports = await freePorts(['http', 'https', 'mark', 'service']);
  const { https: port = 0, service: at = 0 } = ports;
  const { bin } = makeNginx(folder, '/usr/sbin/nginx');
  const env = { PATH: `${bin}${delimiter}${process.env['PATH'] ?? ''}`, HOME: folder };
  const run = (...argv: string[]): void => {
    const { status, stderr } = spawnSync(process.execPath, [program, ...argv], { cwd: folder, env, encoding: 'utf8' });
    if (status !== 0) throw new Error(stderr);
  };
  const map = largeMap({ proxy, roads, ports: { http: ports['http'] ?? 0, https: port, mark: ports['mark'] ?? 0 } });
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    map.replace(
      'engine: none\n',
      `engine: unix://${engine.socket}\nlabels: {obey: saltmarsh.example, gates: everyone}\n`,
    ),
  );
  await engine.start();
  await new Promise<void>((resolve) => service.listen(at, '127.0.0.1', resolve));
  let child: ChildProcess | null = null;
  try {
    run('certs', 'make');
    // The engine of the bench lives in this process, which a command that is waited for would keep from answering.
    await runBeside(['install', '--yes', '--no-rehearsal'], { cwd: folder, env });
    child = spawn(process.execPath, [program, 'follow'], { cwd: folder, env, stdio: ['ignore', 'ignore', 'pipe'] });
    await said(child, ' roads: ');
    const times: number[] = [];
    for (let round = 0; round < rounds; round += 1) {
      const name = `moth-${String(round)}`;
      const label = `{name: ${name}.saltmarsh.example, gate: everyone}`;
      const begin = performance.now();
      engine.put({ name, address: '127.0.0.1', port: at, labels: { 'mile-marker.road': label } });
      await untilAnswers(`${name}.saltmarsh.example`, port);
      times.push(performance.now() - begin);
      await pause(300);
    }
    return times;
  } finally {
    child?.kill('SIGKILL');
    if (child !== null) await ended(child);
    if (proxy === 'nginx') spawnSync(join(bin, 'nginx'), ['-s', 'stop']);
    service.close();
    service.closeAllConnections();
    await engine.stop();
    end(folder);
    rmSync(folder, { recursive: true, force: true });
  }
}

async function runBeside(argv: string[], options: { cwd: string; env: NodeJS.ProcessEnv }): Promise<void> {
  const child = spawn(process.execPath, [program, ...argv], { ...options, stdio: ['ignore', 'ignore', 'pipe'] });
  let words = '';
  child.stderr.setEncoding('utf8').on('data', (text: string) => (words += text));
  const code = await new Promise<number | null>((resolve) => child.once('close', resolve));
  if (code !== 0) throw new Error(words);
}

async function said(child: ChildProcess, words: string): Promise<void> {
  let all = '';
  await new Promise<void>((resolve, reject) => {
    child.stderr?.setEncoding('utf8').on('data', (text: string) => {
      all += text;
      if (all.includes(words)) resolve();
    });
    child.once('close', () => reject(new Error(all)));
  });
}

async function untilAnswers(name: string, port: number): Promise<void> {
  const ask = (): Promise<number> =>
    new Promise((resolve) => {
      const headers = { host: `${name}:${String(port)}` };
      const request = https.get(
        { host: '127.0.0.1', port, servername: name, headers, agent: false, rejectUnauthorized: false },
        (answer) => {
          answer.resume();
          resolve(answer.statusCode ?? 0);
        },
      );
      request.once('error', () => resolve(0));
    });
  for (let tries = 0; tries < 2_400; tries += 1) {
    if ((await ask()) === 200) return;
    await pause(25);
  }
  throw new Error(`${name} does not answer`);
}
