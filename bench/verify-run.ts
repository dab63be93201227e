import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { get } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { standalone } from '../src/core/proxies/nginx/renderer.ts';
import { largeMapFolder, roadName } from './large-map.ts';
import { ended, freePorts, median, resident, secondsSince } from './processes.ts';
import { reportRow } from './report.ts';

/** `verify` of a thousand roads on loopback, in turn with a curl that makes as many connections and requests to the same front. */
const roads = 1000;
const rounds = 5;
/** As many steps as `verify` takes at one time. */
const parallel = 8;
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const nginx = '/usr/sbin/nginx';

/** What the front has counted. */
interface Counted {
  connections: number;
  requests: number;
}

export async function measureVerify(): Promise<boolean> {
  if (!existsSync(nginx)) {
    process.stdout.write('verify: not measured. Install what is missing: apt-get install nginx-light curl\n');
    return true;
  }
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  const ports = await freePorts(['http', 'https', 'mark', 'service', 'count']);
  const servers: ChildProcess[] = [];
  try {
    servers.push(...(await startServers(folder, ports)));
    return await compare(folder, ports);
  } finally {
    for (const server of servers) server.kill('SIGTERM');
    await Promise.all(servers.map(ended));
    rmSync(folder, { recursive: true, force: true });
  }
}

async function compare(folder: string, ports: Record<string, number>): Promise<boolean> {
  const own: number[] = [];
  const others: number[] = [];
  const memory: number[] = [];
  let [mine, theirs]: Counted[] = [];
  for (let round = 0; round < rounds; round += 1) {
    mine = await counted(ports, async () => {
      const { seconds, megabytes } = await run(process.execPath, [program, 'verify', '--at', '127.0.0.1'], folder);
      own.push(seconds);
      memory.push(megabytes);
    });
    writeFileSync(join(folder, 'curl'), curlConfig(ports, mine));
    const args = ['--parallel', '--parallel-max', String(parallel), '--no-progress-meter', '--config', 'curl'];
    theirs = await counted(ports, async () => others.push((await run('curl', args, folder)).seconds));
  }
  const ratio = median(own.map((seconds, round) => seconds / (others[round] ?? NaN)));
  const said = ({ connections, requests }: Counted = { connections: 0, requests: 0 }): string =>
    `${String(connections)} connections, ${String(requests)} requests`;
  const rows = [
    {
      what: `verify, ${roads.toLocaleString('en')} roads`,
      found: `${median(own).toFixed(1)} against ${median(others).toFixed(1)} s of curl, ${ratio.toFixed(2)} times`,
      limit: 'at most 1.5',
      passed: ratio <= 1.5,
    },
    { what: '  it made at the front', found: said(mine), limit: `curl: ${said(theirs)}`, passed: true },
    {
      what: '  its memory',
      found: `${median(memory).toFixed(0)} MB`,
      limit: 'below 300',
      passed: median(memory) < 300,
    },
  ];
  rows.forEach(reportRow);
  return rows.every(({ passed }) => passed);
}

/** The front, and one nginx behind all its roads. */
async function startServers(folder: string, ports: Record<string, number>): Promise<ChildProcess[]> {
  const [http, https, mark, service, count] = ['http', 'https', 'mark', 'service', 'count'].map(
    (one) => ports[one] ?? 0,
  );
  const to = `http://127.0.0.1:${String(service)}`;
  largeMapFolder(folder, {
    ...{
      roads,
      proxy: 'nginx',
      ports: { http: http ?? 0, https: https ?? 0, mark: mark ?? 0 },
      to: () => to,
      below: to,
    },
  });
  for (const argv of [['certs', 'make'], ['write']])
    execFileSync(process.execPath, [program, ...argv], { cwd: folder, stdio: 'ignore' });
  mkdirSync(join(folder, 'pages'));
  writeFileSync(join(folder, 'pages/index.html'), 'hello\n');
  const front = `include "${folder}/.mile-marker/front/current/front.conf";\nserver { listen 127.0.0.1:${String(count)}; access_log off; stub_status; }`;
  const pages = `server { listen 127.0.0.1:${String(service)}; access_log off; root ${folder}/pages; }`;
  return [await start(folder, 'front', front), await start(folder, 'service', pages)];
}

async function start(folder: string, name: string, lines: string): Promise<ChildProcess> {
  const runFolder = join(folder, `run-${name}`);
  mkdirSync(runFolder);
  const whole = standalone({ current: '/dev/null', runFolder, user: 'root' });
  const config = join(runFolder, 'nginx.conf');
  writeFileSync(
    config,
    whole.replace(/include "\/dev\/null\/front\.conf";/, () => lines),
  );
  const args = ['-c', config, '-e', join(runFolder, 'error.log'), '-g', 'daemon off;'];
  const child = spawn(nginx, args, { stdio: 'ignore' });
  for (let tries = 0; tries < 200 && !existsSync(join(runFolder, 'nginx.pid')); tries += 1) await pause(50);
  return child;
}

/** What comes to the front while `work` goes on; the two questions for the count are left out. */
async function counted(ports: Record<string, number>, work: () => Promise<unknown>): Promise<Counted> {
  const before = await frontCount(ports);
  await work();
  const after = await frontCount(ports);
  return {
    connections: after.connections - before.connections - 1,
    requests: after.requests - before.requests - 1,
  };
}

/** ngx_http_stub_status_module: accepted, handled, requests. */
function frontCount({ count }: Record<string, number>): Promise<Counted> {
  return new Promise((resolve, reject) => {
    get({ host: '127.0.0.1', port: count, agent: false }, (response) => {
      let text = '';
      response.on('data', (chunk: Buffer) => (text += chunk.toString()));
      response.on('end', () => {
        const [, connections, requests] = /^ (\d+) \d+ (\d+)/m.exec(text) ?? [];
        resolve({ connections: Number(connections), requests: Number(requests) });
      });
    }).on('error', reject);
  });
}

/** Each road by its name; what goes beyond the connections is asked on one that is open. */
function curlConfig({ https }: Record<string, number>, { connections, requests }: Counted): string {
  const again = Math.max(0, requests - connections);
  const lines = Array.from({ length: connections }, (_, index) => {
    const name = `${roadName(index % roads)}.saltmarsh.example`;
    const urls = Array.from({ length: index < again ? 2 : 1 }, (_, at) => [
      `url = "https://${name}:${String(https)}/?${String(index)}-${String(at)}"`,
      'output = /dev/null',
    ]).flat();
    const close = index < again ? [] : ['header = "Connection: close"'];
    return [...urls, ...close, `resolve = "${name}:${String(https)}:127.0.0.1"`, 'insecure', 'http1.1'].join('\n');
  });
  return lines.join('\nnext\n');
}

/** @returns seconds, and the most memory that it was seen to hold */
async function run(command: string, args: string[], cwd: string): Promise<{ seconds: number; megabytes: number }> {
  const begin = process.hrtime.bigint();
  const child = spawn(command, args, { cwd, stdio: 'ignore', env: { PATH: process.env['PATH'], HOME: cwd } });
  let most = 0;
  const timer = setInterval(() => (most = Math.max(most, residentNow(child) || most)), 100);
  await ended(child);
  clearInterval(timer);
  return { seconds: secondsSince(begin), megabytes: most };
}

function residentNow(child: ChildProcess): number {
  try {
    return resident(child);
  } catch {
    return 0;
  }
}
