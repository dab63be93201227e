import { execFile } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import https from 'node:https';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import tls from 'node:tls';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { freePorts } from '../src/adapters/host/free-ports.ts';
import { startStandIn } from '../src/adapters/rehearsal/stand-in.ts';
import { upgradeTo } from '../src/core/rehearsal/sent.ts';
import { makeNginx } from './own-nginx.ts';
import { reportRow, type Row } from './report.ts';

/**
 * A hundred installations in a row on a real nginx while visitors come: whoever opens a connection each time, whoever keeps one, a WebSocket that stays
 * open, and an upload that never ends before they do.
 */
const installs = 100;
const name = 'nestcam.saltmarsh.example';
const program = fileURLToPath(new URL('../mile-marker.js', import.meta.url));
const run = promisify(execFile);

interface Counts {
  asked: number;
  failed: number;
}

export async function measureInstalls(): Promise<boolean> {
  const nginx = '/usr/sbin/nginx';
  if (!existsSync(nginx)) {
    process.stdout.write('installs: not measured. Install what is missing: apt-get install nginx-light\n');
    return true;
  }
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-bench-'));
  const service = await startStandIn('nestcam');
  const [http = 0, port = 0, mark = 0] = await freePorts(3);
  const machine = makeNginx(folder, nginx);
  const env = { PATH: `${machine.bin}${delimiter}${process.env['PATH'] ?? ''}`, HOME: folder, DOCKER_HOST: 'none' };
  const mileMarker = (...argv: string[]): Promise<unknown> =>
    run(process.execPath, [program, ...argv], { cwd: folder, env });
  const say = (size: number): void =>
    writeFileSync(
      join(folder, 'mile-marker.yaml'),
      `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: nginx
  ports: {http: ${String(http)}, https: ${String(port)}}
  mark: 127.0.0.1:${String(mark)}
engine: none
roads:
  nestcam: {to: ":${String(service.port)}", gate: everyone}
  roster: {to: ":${String(service.port)}", gate: everyone, body-limit: ${String(size)}KiB}
`,
    );
  try {
    say(1);
    await mileMarker('certs', 'make');
    await mileMarker('install', '--yes', '--no-rehearsal');
    const visitors = startVisitors(port);
    let done = 0;
    for (let count = 1; count <= installs; count += 1) {
      say(1 + (count % 2));
      await mileMarker('install', '--yes', '--no-rehearsal');
      done += 1;
    }
    const { fresh, kept, live, upload } = await visitors.stop();
    const rows: Row[] = [
      row('installs: brought live', `${String(done)} of ${String(installs)}`, done === installs),
      row(
        'installs: new connections that failed',
        `${String(fresh.failed)} of ${String(fresh.asked)}`,
        fresh.failed === 0,
      ),
      row(
        'installs: kept connections, one retry',
        `${String(kept.failed)} of ${String(kept.asked)}`,
        kept.failed === 0,
      ),
      row('installs: WebSocket', live ? 'echoed to the end' : 'lost', live),
      row('installs: upload in flight', upload ? 'came whole' : 'lost', upload),
    ];
    return rows.every(({ passed }) => passed);
  } finally {
    await run(join(machine.bin, 'nginx'), ['-s', 'stop']).catch(() => undefined);
    service.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

function row(what: string, found: string, passed: boolean): Row {
  const one = { what, found, limit: 'none lost', passed };
  reportRow(one);
  return one;
}

const head = `Host: ${name}\r\n`;

/** Visitors until they are told to stop, and how each fared. */
function startVisitors(port: number): {
  stop: () => Promise<{ fresh: Counts; kept: Counts; live: boolean; upload: boolean }>;
} {
  const over = new AbortController();
  const agent = new https.Agent({ keepAlive: true, maxSockets: 4 });
  const fresh = visit(over.signal, () => get(port, false));
  // As browsers and curl do it: a request that may be sent twice is sent again on a connection of its own, since others that are kept may be closing too.
  const kept = visit(over.signal, () => get(port, agent).catch(() => get(port, false)));
  const live = echo(port, over.signal);
  const upload = sendSlowly(port, over.signal);
  return {
    stop: async () => {
      over.abort();
      const result = { fresh: await fresh, kept: await kept, live: await live, upload: await upload };
      agent.destroy();
      return result;
    },
  };
}

async function visit(signal: AbortSignal, ask: () => Promise<number>): Promise<Counts> {
  const counts: Counts = { asked: 0, failed: 0 };
  const one = async (): Promise<void> => {
    while (!signal.aborted) {
      const status = await ask().catch(() => 0);
      counts.asked += 1;
      if (status !== 200) counts.failed += 1;
    }
  };
  await Promise.all([one(), one(), one(), one()]);
  return counts;
}

function get(port: number, agent: https.Agent | false): Promise<number> {
  return new Promise((resolve, reject) => {
    const options = { host: '127.0.0.1', port, servername: name, headers: { host: `${name}:${String(port)}` }, agent };
    https
      .get({ ...options, rejectUnauthorized: false, timeout: 5000 }, (answer) => {
        answer.resume().on('end', () => resolve(answer.statusCode ?? 0));
        answer.on('error', reject);
      })
      .on('timeout', function (this: { destroy: () => void }) {
        this.destroy();
      })
      .on('error', reject);
  });
}

function connect(port: number): tls.TLSSocket {
  return tls.connect({ host: '127.0.0.1', port, servername: name, rejectUnauthorized: false });
}

/** Whether one WebSocket echoed to the end. */
function echo(port: number, signal: AbortSignal): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(port);
    const lines = upgradeTo('websocket').map(([key, value]) => `${key}: ${value}\r\n`);
    socket.write(`GET / HTTP/1.1\r\n${head.replace('\r\n', `:${String(port)}\r\n`)}${lines.join('')}\r\n`);
    let answered = 0;
    let sent = 0;
    const beat = setInterval(() => {
      socket.write('still there? ');
      sent += 1;
    }, 250);
    socket.on('data', () => (answered += 1));
    const end = (): void => {
      clearInterval(beat);
      // What was said last may still be under way.
      resolve(signal.aborted && sent > 0 && answered >= sent);
      socket.destroy();
    };
    socket.on('close', end).on('error', end);
    signal.addEventListener('abort', () => {
      clearInterval(beat);
      setTimeout(end, 1000);
    });
  });
}

/** Whether one upload that lasted all the time was answered in the end. */
function sendSlowly(port: number, signal: AbortSignal): Promise<boolean> {
  return new Promise((resolve) => {
    const request = https.request(
      {
        ...{ host: '127.0.0.1', port, servername: name, method: 'POST', rejectUnauthorized: false, agent: false },
        headers: { host: `${name}:${String(port)}`, 'transfer-encoding': 'chunked' },
      },
      (answer) => {
        answer.resume();
        resolve(signal.aborted && answer.statusCode === 200);
      },
    );
    const piece = setInterval(() => request.write('x'.repeat(1024)), 100);
    request.on('error', () => {
      clearInterval(piece);
      resolve(false);
    });
    signal.addEventListener('abort', () => {
      clearInterval(piece);
      request.end();
    });
  });
}
