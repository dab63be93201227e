import { once } from 'node:events';
import { mkdirSync, readFileSync } from 'node:fs';
import type http2 from 'node:http2';
import net from 'node:net';
import { join } from 'node:path';
import tls, { type TLSSocket } from 'node:tls';
import { frontHere, type FrontHere } from './support/front-here.ts';
import { sessionTo } from './support/http2.ts';
import { listening, portOf } from './support/ports.ts';

/** Visitors and services that break off, or answer what nobody asked, at the builtin front: each end learns of it, and the log says what happened. */

const name = 'nestcam.saltmarsh.example';
const other = 'roster.saltmarsh.example';

/** What the service does with a request, by its path; each gets the connection it came on. */
const manners: Record<string, (socket: net.Socket) => void> = {
  '/': (socket) => socket.write('HTTP/1.1 200 OK\r\nContent-Length: 4\r\n\r\nhere'),
  '/switches': (socket) =>
    socket.write('HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: foo\r\n\r\n'),
  '/hints': (socket) =>
    socket.write(
      'HTTP/1.1 103 Early Hints\r\nLink: </a.css>\r\n\r\nHTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 4\r\n\r\nhere',
    ),
  '/resets': (socket) => socket.resetAndDestroy(),
  '/waits': () => undefined,
  '/live': (socket) => {
    socket.write('HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\nhello');
    socket.on('end', () => socket.end());
  },
};

let service: net.Server;
let made: FrontHere;
const taken: string[] = [];
beforeAll(async () => {
  service = await listening(
    net.createServer({ allowHalfOpen: true }, (socket) => {
      socket.on('error', () => undefined);
      socket.on('data', (chunk: Buffer) => {
        const path = /^\w+ (\S+) HTTP/.exec(chunk.toString())?.[1];
        if (path === undefined) return;
        taken.push(path);
        manners[path]?.(socket);
      });
    }),
    0,
  );
  made = await frontHere(
    `  nestcam: {to: ":${String(portOf(service))}", gate: everyone, log: logs/nestcam.log}
  roster: {to: ":${String(portOf(service))}", gate: nobody, log: logs/roster.log}
gates: {nobody: {networks: 192.0.2.0/24}}
`,
    { patience: { headMs: 30_000, idleMs: 30_000, bodyMs: 30_000, lingerMs: 500 } },
  );
  mkdirSync(join(made.folder, 'logs'), { recursive: true });
});
afterAll(async () => {
  await made.front.stop(0);
  service.close();
});

async function secure(servername = name, options: tls.ConnectionOptions = {}): Promise<TLSSocket> {
  const socket = tls.connect({
    host: '127.0.0.1',
    port: made.https,
    servername,
    rejectUnauthorized: false,
    ...options,
  });
  socket.on('error', () => undefined);
  await once(socket, 'secureConnect');
  return socket;
}

/** Everything that comes until the other end closes. */
async function talk(text: string, servername = name): Promise<string> {
  const socket = await secure(servername);
  let said = '';
  socket.on('data', (chunk: Buffer) => (said += chunk.toString('latin1')));
  socket.write(text);
  await once(socket, 'close');
  return said;
}

const get = (path: string, more = '', host = name): string => `GET ${path} HTTP/1.1\r\nHost: ${host}\r\n${more}\r\n`;
const upgrade = 'Connection: Upgrade\r\nUpgrade: websocket\r\n';

test('a service that changes the protocol unasked is answered for with 502, at once', async () => {
  expect(await talk(get('/switches', 'Connection: close\r\n'))).toMatch(/^HTTP\/1.1 502 /);
});

test('nor may it change to another protocol than the WebSocket that was asked for', async () => {
  expect(await talk(get('/switches', upgrade))).toMatch(/^HTTP\/1.1 502 /);
});

test('what a service says before its answer stays between the two', async () => {
  expect(await talk(get('/hints', 'Connection: close\r\n'))).toMatch(/^HTTP\/1.1 200 OK(?:(?!HTTP)[^])*here$/);
});

test.each([
  ['a tunnel', `CONNECT ${name}:443 HTTP/1.1\r\nHost: ${name}\r\n\r\n`, name, 405],
  ['a WebSocket that may not be', get('/live', upgrade, other), other, 403],
])('requests in front of %s on the same connection have their answers first', async (_, last, host, status) => {
  const said = await talk(`${get('/', '', host)}${last}`, host);
  const statuses = [...said.matchAll(/HTTP\/1\.1 (\d+)/g)].map(([, code]) => Number(code));
  expect(statuses).toEqual([host === name ? 200 : 403, status]);
});

test.each(['http/1.1', 'h2'])('an upload whose service resets gets its 502 and is not held (%s)', async (protocol) => {
  if (protocol === 'h2') {
    const session = sessionTo(made.https, name);
    const stream = session.request({ ':method': 'POST', ':path': '/resets' });
    stream.on('error', () => undefined);
    stream.write('a part of it');
    const [headers] = (await once(stream.resume(), 'response')) as [http2.IncomingHttpHeaders];
    expect(headers[':status']).toBe(502);
    await once(stream, 'close');
    session.destroy();
    return;
  }
  const said = await talk(`POST /resets HTTP/1.1\r\nHost: ${name}\r\nContent-Length: 1000\r\n\r\na part of it`);
  expect(said).toMatch(/^HTTP\/1.1 502 /);
});

test('a visitor who goes away is no fault of the service', async () => {
  const before = made.troubles.length;
  const socket = await secure();
  taken.length = 0;
  socket.write(get('/waits'));
  while (taken.length === 0) await new Promise((resolve) => setImmediate(resolve));
  socket.destroy();
  // Another request after it, so that whatever is said of the first has been said.
  await talk(get('/', 'Connection: close\r\n'));
  expect(made.troubles.slice(before)).toEqual([]);
});

test('HTTP/2: a tunnel is refused in its own words', async () => {
  const session = sessionTo(made.https, name);
  const stream = session.request({ ':method': 'CONNECT', ':authority': name });
  const [headers] = (await once(stream, 'response')) as [http2.IncomingHttpHeaders];
  let body = '';
  stream.setEncoding('utf8').on('data', (text: string) => (body += text));
  stream.end();
  await once(stream, 'close');
  expect([headers[':status'], body.includes('HTTP/1.1')]).toEqual([405, false]);
  session.destroy();
});

test('the log has live connections, what could not be read, the bytes of bodies, and names with blanks in one field', async () => {
  const socket = await secure();
  let said = '';
  socket.on('data', (chunk: Buffer) => (said += chunk.toString()));
  socket.write(get('/live', upgrade));
  while (!said.includes('hello')) await once(socket, 'data');
  socket.end();
  await once(socket, 'close');
  await talk(
    get('/', `Authorization: Basic ${Buffer.from('edda of the marsh:x').toString('base64')}\r\nConnection: close\r\n`),
  );
  await talk('this is no HTTP\r\n\r\n');
  await made.front.stop(1000);
  const lines = readFileSync(join(made.folder, 'logs/nestcam.log'), 'utf8').trim().split('\n');
  const last = lines.slice(-3).map((line) => line.replace(/\[.*?\]/, '[]'));
  expect(last).toEqual([
    '127.0.0.1 - - [] "GET /live HTTP/1.1" 101 5 "-" "-"',
    '127.0.0.1 - edda\\x20of\\x20the\\x20marsh [] "GET / HTTP/1.1" 200 4 "-" "-"',
    '127.0.0.1 - - [] "-" 400 0 "-" "-"',
  ]);
});
