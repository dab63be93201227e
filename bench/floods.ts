import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import https from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { standalone } from '../src/core/proxies/nginx/renderer.ts';
import { ended, freePorts, median, startUntil } from './processes.ts';
import { reportRow } from './report.ts';

/**
 * How long a polite visitor waits while somebody else floods the front, builtin and nginx in turn. A visitor has an address of his own, and
 * a new connection for each page. The longest wait of a round counts; of the rounds the median.
 */
const rounds = 3;
const name = 'nestcam.saltmarsh.example';
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const clients = fileURLToPath(new URL('./flood-clients.js', import.meta.url));
const floods = { resets: '10 x 1000 streams taken back', silent: '1500 connections that say nothing' } as const;
const pairs = (['builtin', 'nginx'] as const).flatMap((proxy) =>
  (['resets', 'silent'] as const).map((flood) => [proxy, flood] as const),
);
/** So many milliseconds more than twice nginx's: Node makes an object of each connection before anybody can turn it away, all of them in one process. */
const slackMs = 100;

export async function measureFloods(): Promise<boolean> {
  if (!existsSync('/usr/sbin/nginx')) {
    process.stdout.write('floods: not measured. Install what is missing: apt-get install nginx-light\n');
    return true;
  }
  const service = http.createServer((_, answer) => answer.end('ok'));
  await new Promise<void>((resolve) => service.listen(0, '127.0.0.1', resolve));
  const { port } = service.address() as AddressInfo;
  const waits = new Map<string, number[]>();
  try {
    for (let round = 0; round < rounds; round += 1)
      for (const [proxy, flood] of pairs) {
        const key = `${proxy} ${flood}`;
        waits.set(key, [...(waits.get(key) ?? []), await longestWait(proxy, flood, port)]);
      }
  } finally {
    service.close();
    service.closeAllConnections();
  }
  const passed = (Object.keys(floods) as Array<keyof typeof floods>).map((flood) => {
    const [own, other] = (['builtin', 'nginx'] as const).map((proxy) => median(waits.get(`${proxy} ${flood}`) ?? []));
    const row = {
      what: `builtin: ${floods[flood]}`,
      found: `longest wait ${String(Math.round(own ?? NaN))} ms, nginx ${String(Math.round(other ?? NaN))} ms`,
      limit: `at most twice nginx's and ${String(slackMs)} ms`,
      passed: (own ?? NaN) <= 2 * (other ?? NaN) + slackMs,
    };
    reportRow(row);
    return row.passed;
  });
  return passed.every((one) => one);
}

async function longestWait(proxy: 'builtin' | 'nginx', flood: keyof typeof floods, service: number): Promise<number> {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  chmodSync(folder, 0o755);
  const ports = await freePorts(['http', 'https', 'mark']);
  const map = `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: ${proxy}, ports: {http: ${String(ports['http'])}, https: ${String(ports['https'])}}, mark: "127.0.0.1:${String(ports['mark'])}"}
engine: none
roads: {nestcam: {to: ":${String(service)}", gate: everyone}}
`;
  writeFileSync(join(folder, 'mile-marker.yaml'), map);
  execFileSync(process.execPath, [program, 'certs', 'make'], { cwd: folder, stdio: 'ignore' });
  const front = await (proxy === 'builtin' ? ownFront(folder) : nginxFront(folder, ports['mark'] ?? 0));
  const port = ports['https'] ?? 0;
  try {
    for (let count = 0; count < 10; count += 1) await wait(port);
    const crowd = spawn(process.execPath, [clients, flood, String(port), name], { stdio: 'ignore' });
    return await politely(port, crowd);
  } finally {
    front.kill('SIGTERM');
    await ended(front);
    rmSync(folder, { recursive: true, force: true });
  }
}

function ownFront(folder: string): Promise<ChildProcess> {
  return startUntil(process.execPath, [program, 'serve'], { cwd: folder, until: /Serving/ });
}

/** With what the map says, and nothing else; it is there when it answers its mark. */
async function nginxFront(folder: string, mark: number): Promise<ChildProcess> {
  execFileSync(process.execPath, [program, 'write'], { cwd: folder, stdio: 'ignore' });
  const current = join(folder, '.mile-marker', 'front', 'current');
  const user = process.getuid?.() === 0 ? 'root' : null;
  writeFileSync(join(folder, 'nginx.conf'), standalone({ current, runFolder: folder, user }));
  const argv = ['-c', join(folder, 'nginx.conf'), '-e', join(folder, 'error.log'), '-g', 'daemon off;'];
  const front = spawn('/usr/sbin/nginx', argv, { stdio: 'ignore' });
  for (let tries = 0; tries < 200; tries += 1) {
    const answer = await fetch(`http://127.0.0.1:${String(mark)}/mark`).catch(() => null);
    if (answer?.ok === true) return front;
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  front.kill();
  throw new Error('nginx does not start');
}

/** A page every fiftieth of a second, as long as the crowd is there. */
async function politely(port: number, crowd: ChildProcess): Promise<number> {
  let longest = 0;
  while (crowd.exitCode === null) {
    longest = Math.max(longest, await wait(port));
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  return longest;
}

function wait(port: number): Promise<number> {
  const begin = performance.now();
  return new Promise((resolve) => {
    const options = { servername: name, headers: { host: name }, rejectUnauthorized: false, agent: false as const };
    const request = https.get({ host: '127.0.0.1', port, localAddress: '127.0.0.6', ...options }, (answer) => {
      answer.resume().on('end', () => resolve(performance.now() - begin));
    });
    // One that is turned away waits for ever.
    request.on('error', () => resolve(10_000));
  });
}
