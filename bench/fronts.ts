import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { standalone } from '../src/core/proxies/nginx/renderer.ts';
import { standalone as haproxyAlone } from '../src/core/proxies/haproxy/renderer.ts';
import { standalone as httpdAlone } from '../src/core/proxies/httpd/renderer.ts';
import { haproxyByHand, httpdByHand, nginxByHand } from './hand-made.ts';
import { ended, freePorts, median, resident, startUntil } from './processes.ts';
import { reportRow, type Row } from './report.ts';

/**
 * How much the fronts carry, each held against the smallest thing that does the same, in turn, round after round; medians count. The load comes from
 * h2load (package nghttp2-client); WebSockets and held connections from `clients`.
 */
const rounds = 9;
const name = 'nestcam.saltmarsh.example';
/** Takes uploads and live connections. */
const takes = 'roster.saltmarsh.example';
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const part = (file: string): string => fileURLToPath(new URL(`./${file}.js`, import.meta.url));

/** @property args of h2load */
interface Load {
  what: string;
  path: '/' | '/long' | '/up';
  /** Default: the name of the one that answers only. */
  to?: string;
  args: string[];
  /** In milliseconds that one client may wait longer than at the other. */
  later?: number;
}

/** Each request is two, and the asked service shares the machine. */
const mostAsked = 0.4;
const frames = 'builtin: frames of WebSockets';
/** The same service behind a gate that asks another one about each request, against the same front without a gate. */
const asked: Load = {
  what: 'a gate that asks, 40 connections',
  path: '/',
  to: 'asked.saltmarsh.example',
  args: ['--h1', '-n', '4000', '-c', '40'],
};
/** On kept connections a device is known by what its handshake has shown: at most a twentieth of the same front without the gate. */
const mostDevices = 0.95;
const devices = 'a gate for devices, 4 kept connections';
const loads: Load[] = [
  { what: 'HTTP/1.1, 1 connection', path: '/', args: ['--h1', '-n', '1000', '-c', '1'], later: 1 },
  { what: 'HTTP/1.1, 40 connections', path: '/', args: ['--h1', '-n', '4000', '-c', '40'] },
  { what: 'HTTP/2, 40 x 10 streams', path: '/', args: ['-n', '4000', '-c', '40', '-m', '10'] },
  { what: 'answers of 1 MiB', path: '/long', args: ['--h1', '-n', '160', '-c', '8'] },
  { what: 'uploads of 1 MiB', path: '/up', to: takes, args: ['--h1', '-n', '800', '-c', '8'] },
];

/** @param only part of what is measured, by its words */
export async function measureFronts(only = ''): Promise<boolean> {
  const missing = ['/usr/bin/h2load', '/usr/sbin/nginx', '/usr/sbin/apache2', '/usr/sbin/haproxy'].filter(
    (path) => !existsSync(path),
  );
  if (missing.length > 0) {
    process.stdout.write(
      'fronts: not measured. Install what is missing: apt-get install nghttp2-client nginx-light apache2 haproxy\n',
    );
    return true;
  }
  const bench = new Bench(only);
  try {
    await bench.start();
    const builtin = await bench.compare('builtin', { least: 0.9, mostLate: 1.1 });
    const others: Row[] = [];
    for (const proxy of ['nginx', 'httpd', 'haproxy'] as const)
      others.push(...(await bench.compare(proxy, { least: 0.95, mostLate: null })));
    const held = await bench.hold();
    return [...builtin, ...others, ...held].every(({ passed }) => passed);
  } finally {
    bench.stop();
  }
}

type Served = 'nginx' | 'httpd' | 'haproxy';

const modules = '/usr/lib/apache2/modules';
/** httpd serves as another user than root, or not at all. */
const httpdUser = process.getuid?.() === 0 ? 'www-data' : null;

interface Limits {
  /** Of the other's requests a second. */
  least: number;
  /** Of the other's 99th percentile; null: not held to it. */
  mostLate: number | null;
}

/** @property perSecond requests @property middle and @property late median and 99th percentile, milliseconds */
interface Measured {
  perSecond: number;
  middle: number;
  late: number;
}

class Bench {
  private readonly folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  private readonly children: ChildProcess[] = [];
  private readonly ports = { service: 0, taker: 0, http: 0, https: 0, mark: 0, other: 0, asked: 0 };
  private readonly pair = { certificate: '', key: '' };
  private othersFailed = 0;

  constructor(private readonly only: string) {}

  async start(): Promise<void> {
    chmodSync(this.folder, 0o755);
    Object.assign(this.ports, await freePorts(Object.keys(this.ports)));
    writeFileSync(join(this.folder, 'mib'), Buffer.alloc(1024 * 1024, 97));
    mkdirSync(join(this.folder, 'service'), { mode: 0o755 });
    writeFileSync(join(this.folder, 'service/index.html'), 'hello\n');
    writeFileSync(join(this.folder, 'service/long'), Buffer.alloc(1024 * 1024, 98));
    await this.nginx('service', [
      `server { listen 127.0.0.1:${String(this.ports.service)}; listen 127.0.0.1:${String(this.ports.asked)}; keepalive_requests 1000000; root ${this.folder}/service; }`,
    ]);
    await this.run([part('service'), String(this.ports.taker)]);
  }

  stop(): void {
    // Told and not killed: their workers would go on.
    for (const child of this.children) child.kill('SIGTERM');
    rmSync(this.folder, { recursive: true, force: true });
  }

  private isAsked(what: string): boolean {
    return what.includes(this.only);
  }

  async compare(proxy: 'builtin' | Served, limits: Limits): Promise<Row[]> {
    const isAny = [...loads, asked, { what: devices }].some(({ what }) => this.isAsked(`${proxy}: ${what}`));
    if (!isAny && !(proxy === 'builtin' && this.isAsked(frames))) return [];
    const ours = await this.ourFront(proxy);
    const other = proxy === 'builtin' ? await this.smallestProxy() : await this.handMade(proxy);
    const rows: Row[] = [];
    for (const load of loads)
      if (this.isAsked(`${proxy}: ${load.what}`)) rows.push(...(await this.compareOne(proxy, load, limits)));
    if (proxy === 'builtin' && this.isAsked(frames)) rows.push(await this.compareFrames());
    if (proxy !== 'httpd' && this.isAsked(`${proxy}: ${asked.what}`)) rows.push(this.compareAsked(proxy));
    if (this.isAsked(`${proxy}: ${devices}`)) rows.push(this.compareDevices(proxy));
    for (const child of [ours, other]) {
      child.kill(proxy === 'builtin' ? 'SIGKILL' : 'SIGTERM');
      await ended(child);
    }
    return rows;
  }

  private async compareOne(proxy: string, load: Load, { least, mostLate }: Limits): Promise<Row[]> {
    const ours: Measured[] = [];
    const theirs: Measured[] = [];
    this.othersFailed = 0;
    for (let round = 0; round < rounds; round += 1) {
      theirs.push(this.load(this.ports.other, load));
      ours.push(this.load(this.ports.https, load));
    }
    const of = (key: keyof Measured): Pick<Compared, 'ours' | 'other'> => ({
      ours: ours.map((one) => one[key]),
      other: theirs.map((one) => one[key]),
    });
    const what = `${proxy}: ${load.what}`;
    const rows: Row[] = [row({ what, ...of('perSecond'), unit: 'requests/s', limit: least, more: true })];
    if (mostLate !== null)
      rows.push(row({ what: `${what}, p99`, ...of('late'), unit: 'ms', limit: mostLate, more: false }));
    if (mostLate !== null && load.later !== undefined) {
      const later = median(of('middle').ours) - median(of('middle').other);
      rows.push({
        what: `${what}, later by`,
        found: `${later.toFixed(2)} ms`,
        limit: `at most ${String(load.later)} ms`,
        passed: later <= load.later,
      });
    }
    const failed = this.othersFailed;
    if (failed > 0) rows.forEach((one) => (one.found += `; ${String(failed)} of the other failed`));
    rows.forEach(reportRow);
    return rows;
  }

  private compareAsked(proxy: string): Row {
    const [ours, other]: [number[], number[]] = [[], []];
    for (let round = 0; round < rounds; round += 1) {
      other.push(this.load(this.ports.https, { ...asked, to: name }).perSecond);
      ours.push(this.load(this.ports.https, asked).perSecond);
    }
    const what = `${proxy}: ${asked.what}`;
    const found = row({ what, ours, other, unit: 'requests/s', limit: mostAsked, more: true });
    reportRow(found);
    return found;
  }

  /** The load is curl's, four at a time and each on one connection: h2load shows no certificate. Both roads are asked with it. */
  private compareDevices(proxy: string): Row {
    const [ours, other]: [number[], number[]] = [[], []];
    for (let round = 0; round < rounds; round += 1) {
      other.push(this.asDevice(name));
      ours.push(this.asDevice('device.saltmarsh.example'));
    }
    const what = `${proxy}: ${devices}`;
    const found = row({ what, ours, other, unit: 'requests/s', limit: mostDevices, more: true });
    reportRow(found);
    return found;
  }

  private asDevice(to: string): number {
    const count = 2500;
    const at = `${to}:${String(this.ports.https)}`;
    const one = `curl --silent --insecure --http1.1 --fail --output /dev/null --cert ${this.folder}/device.pem --resolve ${at}:127.0.0.1 "https://${at}/?[1-${String(count)}]"`;
    const start = performance.now();
    execFileSync('sh', ['-c', `${`${one} & `.repeat(4)} wait`], { stdio: 'ignore', timeout: 120_000 });
    return (4 * count * 1000) / (performance.now() - start);
  }

  private load(port: number, { path, args, to = name }: Load): Measured {
    const log = join(this.folder, 'times');
    rmSync(log, { force: true });
    const said = execFileSync(
      'h2load',
      [
        `--connect-to=127.0.0.1:${String(port)}`,
        `--log-file=${log}`,
        ...args,
        ...(path === '/up' ? ['-d', join(this.folder, 'mib')] : []),
        `https://${to}${path}`,
      ],
      { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'], timeout: 120_000 },
    );
    const [, succeeded, failed] = /(\d+) succeeded, (\d+) failed/.exec(said) ?? [];
    // What is held against ours may fail, which is told; ours may not.
    if (failed !== '0' && port === this.ports.https)
      throw new Error(`${path} at port ${String(port)}: ${String(failed)} failed, ${String(succeeded)} did not`);
    this.othersFailed += Number(failed);
    const times = readFileSync(log, 'utf8')
      .trim()
      .split('\n')
      .map((line) => Number(line.split('\t')[2]) / 1000)
      .sort((x, y) => x - y);
    const at = (share: number): number => times[Math.min(times.length - 1, Math.floor(times.length * share))] ?? NaN;
    return { perSecond: Number(/, ([\d.]+) req\/s/.exec(said)?.[1]), middle: at(0.5), late: at(0.99) };
  }

  private async compareFrames(): Promise<Row> {
    const ours: number[] = [];
    const theirs: number[] = [];
    const count = async (port: number): Promise<number> =>
      Number(await this.said([part('clients'), 'frames', String(port), takes, '20']));
    for (let round = 0; round < rounds; round += 1) {
      theirs.push(await count(this.ports.other));
      ours.push(await count(this.ports.https));
    }
    const found = row({
      what: frames,
      ours,
      other: theirs,
      unit: 'frames/s',
      limit: 0.9,
      more: true,
    });
    reportRow(found);
    return found;
  }

  /** Resident memory with connections that are held, and after they have gone. */
  async hold(): Promise<Row[]> {
    const rows: Row[] = [];
    for (const [what, count] of [
      ['idle', 2000],
      ['live', 500],
    ] as const) {
      if (!this.isAsked(`builtin: ${String(count)} ${what} connections`)) continue;
      const found: number[][] = [];
      for (const start of [() => this.smallestProxy(0), () => this.ourFront('builtin')]) {
        const server = await start();
        const port = found.length === 0 ? this.ports.other : this.ports.https;
        const clients = await this.run([
          part('clients'),
          what,
          String(port),
          what === 'idle' ? name : takes,
          String(count),
        ]);
        const held = resident(server);
        clients.stdin?.end();
        await ended(clients);
        await settled();
        found.push([held, resident(server)]);
        server.kill('SIGKILL');
        await ended(server);
      }
      const [bare = [], ours = []] = found;
      for (const [index, when] of ['held', 'gone'].entries())
        rows.push(
          row({
            what: `builtin: ${String(count)} ${what} connections ${when}`,
            ours: [ours[index] ?? NaN],
            other: [bare[index] ?? NaN],
            unit: 'MB',
            limit: 1.5,
            more: false,
          }),
        );
    }
    rows.forEach(reportRow);
    return rows;
  }

  private async ourFront(proxy: 'builtin' | Served): Promise<ChildProcess> {
    const { http, https, mark, service, taker } = this.ports;
    writeFileSync(
      join(this.folder, 'mile-marker.yaml'),
      `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: ${proxy}, ports: {http: ${String(http)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
roads:
  nestcam: {gate: everyone, to: ":${String(service)}"}
  roster: {gate: everyone, to: ":${String(taker)}"}
  device: {gate: keepers, to: ":${String(service)}"}
${proxy === 'httpd' ? '' : `  asked: {gate: signed-in, to: ":${String(service)}"}\n`}gates:
  keepers: {devices: any}
${proxy === 'httpd' ? '' : `  signed-in: {asks: ":${String(this.ports.asked)}/"}\n`}`,
    );
    this.makeDevice();
    this.mileMarker(['certs', 'make']);
    this.mileMarker(['write']);
    const pair = join(this.folder, '.mile-marker/certificates', name, 'current');
    Object.assign(this.pair, { certificate: join(pair, 'certificate.pem'), key: join(pair, 'key.pem') });
    const current = join(this.folder, '.mile-marker/front/current');
    const runFolder = this.runFolder('ours');
    switch (proxy) {
      case 'builtin':
        return this.run([program, 'serve'], /Serving/);
      case 'nginx':
        return this.startNginx('ours', standalone({ current, runFolder }));
      case 'httpd':
        return this.startHttpd('ours', httpdAlone({ current, runFolder, modules, user: httpdUser }));
      case 'haproxy':
        return this.startHaproxy('ours', haproxyAlone({ runFolder, user: null }), ['-f', current]);
    }
  }

  private makeDevice(): void {
    const file = join(this.folder, 'device.pem');
    if (existsSync(file)) return;
    const password = this.mileMarker(['devices', 'add', 'phone']).trim();
    execFileSync('openssl', [
      ...['pkcs12', '-in', join(this.folder, 'phone.p12'), '-passin', `pass:${password}`, '-nodes', '-out', file],
    ]);
  }

  private smallestProxy(service = this.ports.service): Promise<ChildProcess> {
    const { certificate, key } = this.pair;
    const { other, taker } = this.ports;
    return this.run([part('smallest-proxy'), String(other), certificate, key, name, String(service), String(taker)]);
  }

  /** The same by hand, for the same server program. */
  private handMade(proxy: Served): Promise<ChildProcess> {
    const input = { name, takes, pair: this.pair, ports: this.ports };
    const folder = this.runFolder('hand-made');
    switch (proxy) {
      case 'nginx':
        return this.nginx('hand-made', nginxByHand(input));
      case 'httpd':
        return this.startHttpd('hand-made', httpdByHand(input, folder, modules, httpdUser));
      case 'haproxy':
        return this.startHaproxy('hand-made', haproxyByHand(input));
    }
  }

  private startHttpd(what: string, text: string): Promise<ChildProcess> {
    const config = join(this.runFolder(what), 'httpd.conf');
    writeFileSync(config, text);
    return this.startServer('/usr/sbin/apache2', ['-f', config, '-DFOREGROUND'], what);
  }

  private startHaproxy(what: string, text: string, more: string[] = []): Promise<ChildProcess> {
    const config = join(this.runFolder(what), 'haproxy.cfg');
    writeFileSync(config, text);
    return this.startServer('/usr/sbin/haproxy', ['-db', '-f', config, ...more], what);
  }

  private async startServer(path: string, argv: string[], what: string): Promise<ChildProcess> {
    const child = spawn(path, argv, { stdio: 'ignore' });
    this.children.push(child);
    const port = what === 'ours' ? this.ports.https : this.ports.other;
    for (let tries = 0; tries < 200 && !(await answers(port)); tries += 1) await settled(50);
    if (child.exitCode !== null) throw new Error(`${path} did not start`);
    return child;
  }

  private nginx(what: string, lines: string[]): Promise<ChildProcess> {
    const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'];
    const folder = this.runFolder(what);
    return this.startNginx(
      what,
      `worker_processes 1; pid ${folder}/nginx.pid; error_log ${folder}/error.log; events { worker_connections 512; }
http { access_log off; ${temporary.map((one) => `${one}_temp_path ${folder}/${one};`).join(' ')} ${lines.join('\n')} }\n`,
    );
  }

  private runFolder(what: string): string {
    const folder = join(this.folder, what);
    mkdirSync(folder, { recursive: true, mode: 0o755 });
    return folder;
  }

  private async startNginx(what: string, text: string): Promise<ChildProcess> {
    const folder = this.runFolder(what);
    const config = join(folder, 'nginx.conf');
    rmSync(join(folder, 'nginx.pid'), { force: true });
    // Root starts it; its workers read what it reads.
    writeFileSync(config, process.getuid?.() === 0 ? `user root;\n${text}` : text);
    const child = spawn('/usr/sbin/nginx', ['-c', config, '-e', `${folder}/error.log`, '-g', 'daemon off;'], {
      stdio: 'ignore',
    });
    this.children.push(child);
    for (let tries = 0; tries < 200 && !existsSync(join(folder, 'nginx.pid')); tries += 1) await settled(50);
    if (child.exitCode !== null) throw new Error(readFileSync(`${folder}/error.log`, 'utf8'));
    return child;
  }

  private mileMarker(args: string[]): string {
    return execFileSync(process.execPath, [program, ...args], {
      ...{ cwd: this.folder, env: this.env(), encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] },
    });
  }

  private async run(args: string[], until = /ready/): Promise<ChildProcess> {
    const child = await startUntil(process.execPath, args, { cwd: this.folder, env: this.env(), until });
    this.children.push(child);
    return child;
  }

  private async said(args: string[]): Promise<string> {
    const child = spawn(process.execPath, args, { cwd: this.folder, stdio: ['ignore', 'pipe', 'inherit'] });
    this.children.push(child);
    let text = '';
    child.stdout.on('data', (more: Buffer) => (text += more.toString()));
    await ended(child);
    return text;
  }

  private env(): NodeJS.ProcessEnv {
    return { ...process.env, DOCKER_HOST: 'none', HOME: this.folder };
  }
}

/** @property ours what was measured round after round @property other the same of what it is held against */
interface Compared {
  what: string;
  ours: number[];
  other: number[];
  unit: string;
  limit: number;
  /** More is better. */
  more: boolean;
}

/** Each round's own ratio counts: a machine that is busy elsewhere for a while is so for both. */
function row({ what, ours, other, unit, limit, more }: Compared): Row {
  const ratio = median(ours.map((value, round) => value / (other[round] ?? NaN)));
  const digits = median(ours) < 100 ? 2 : 0;
  return {
    what,
    found: `${median(ours).toFixed(digits)} against ${median(other).toFixed(digits)} ${unit}, ${ratio.toFixed(2)} times`,
    limit: `${more ? 'at least' : 'at most'} ${String(limit)}`,
    passed: more ? ratio >= limit : ratio <= limit,
  };
}

function answers(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = net.connect({ host: '127.0.0.1', port }, () => {
      socket.destroy();
      resolve(true);
    });
    socket.on('error', () => resolve(false));
  });
}

/** A server gives back what it held in its own time. */
function settled(ms = 20_000): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
