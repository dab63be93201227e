import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readdirSync } from 'node:fs';
import bcrypt from 'bcryptjs';
import http from 'node:http';
import net from 'node:net';
import tls, { type TLSSocket } from 'node:tls';
import { countedAs } from '../src/core/networks/counted-as.ts';
import { Visitors } from '../src/builtin/visitors.ts';
import { frontHere, type FrontHere } from './support/front-here.ts';
import { startFront } from './support/fronts.ts';
import { preface as greeting, sessionTo, takenBackStream } from './support/http2.ts';
import { listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker, program, says, stop } from './support/program.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';
import { practiceHead } from './support/site.ts';

/** What strangers do to the builtin front to shut others out, and what it keeps in spite of them; docs/security.md lists it. */

const name = 'nestcam.saltmarsh.example';
const upgrade = 'Connection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Key: x\r\nSec-WebSocket-Version: 13\r\n';

let service: http.Server;
let reached = 0;
beforeAll(async () => {
  service = await listening(
    http.createServer((request, response) => {
      reached += 1;
      request.resume();
      request.on('end', () => response.end('here'));
    }),
    0,
  );
  service.on('upgrade', (_, socket) => {
    reached += 1;
    socket.end('HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n');
  });
});
afterAll(() => {
  service.close();
  service.closeAllConnections();
});
const here = (more = ''): string => `  nestcam: {to: ":${String(portOf(service))}", gate: everyone${more}}\n`;

async function secure(port: number, options: tls.ConnectionOptions = {}): Promise<TLSSocket> {
  const socket = tls.connect({ host: '127.0.0.1', port, servername: name, rejectUnauthorized: false, ...options });
  socket.on('error', () => undefined);
  await once(socket, 'secureConnect');
  return socket;
}

/** What has come when the other end closes. */
async function untilClosed(socket: net.Socket): Promise<string> {
  let said = '';
  socket.on('data', (chunk: Buffer) => (said += chunk.toString('latin1')));
  socket.on('error', () => undefined);
  if (!socket.destroyed) await once(socket, 'close');
  return said;
}

describe('what counts against a rate', () => {
  test.each([
    ['a WebSocket', upgrade],
    ['another upgrade', 'Connection: Upgrade\r\nUpgrade: h2c\r\nHTTP2-Settings: AAMAAABk\r\n'],
    ['a plain request', ''],
  ])('%s: once, whatever becomes of it', async (_, lines) => {
    const { front, https } = await frontHere(here(', rate: 1/m burst 2'));
    reached = 0;
    const statuses: number[] = [];
    for (let times = 0; times < 8; times += 1) {
      const outcome = await sendRaw({
        port: https,
        tls: { servername: name },
        text: `GET / HTTP/1.1\r\nHost: ${name}\r\n${lines}${lines === '' ? 'Connection: close\r\n' : ''}\r\n`,
        until: '\r\n\r\n',
      });
      statuses.push(outcome.kind === 'answer' ? outcome.status : 0);
    }
    expect(reached).toBe(3);
    expect(statuses.filter((status) => status === 429)).toHaveLength(5);
    await front.stop(0);
  });

  test('an IPv6 visitor by the /64 that he was given, an IPv4 visitor by his address', () => {
    expect(countedAs('2001:db8:1:2:3:4:5:6')).toBe(countedAs('2001:db8:1:2::1'));
    expect(countedAs('2001:db8::5:1:2:3:4')).toBe(countedAs('2001:db8:0:5::1'));
    expect(countedAs('2001:db8::1')).not.toBe(countedAs('2001:db8:0:5::1'));
    expect(countedAs('::1')).toBe(countedAs('::2:3:4:5'));
    expect(countedAs('203.0.113.9')).toBe('203.0.113.9');
  });
});

test('who logs in waits for one guess of a stranger, not for all of them', async () => {
  const { head, https } = await practiceHead();
  const folder = folderWith({
    'mile-marker.yaml': `${head}gates: {wardens: {people: w}}\nroads:\n  nestcam: {to: ":${String(portOf(service))}", gate: wardens}\n`,
    w: `edda:${bcrypt.hashSync('kittiwake', 10)}\n`,
  });
  const front = await startFront(folder, 'builtin');
  const order: string[] = [];
  const login = async (who: string, from: string, password: string): Promise<void> => {
    const credentials = Buffer.from(`edda:${password}`).toString('base64');
    const text = `GET / HTTP/1.1\r\nHost: ${name}\r\nAuthorization: Basic ${credentials}\r\nConnection: close\r\n\r\n`;
    const outcome = await sendRaw({ port: https, tls: { servername: name }, text, from, idleMs: 60_000 });
    order.push(`${who} ${outcome.kind === 'answer' ? String(outcome.status) : outcome.kind}`);
  };
  const guesses = Array.from({ length: 14 }, (_, index) => login('stranger', '127.0.0.2', `guess ${String(index)}`));
  await Promise.race(guesses);
  await Promise.all([...guesses, login('edda', '127.0.0.3', 'kittiwake')]);
  expect(order.filter((one) => one === 'stranger 401')).toHaveLength(14);
  // His turn comes after the guess that is being looked at. In one line with all of them he would be the last.
  expect(order.indexOf('edda 200')).toBeLessThan(10);
  await front.stop();
});

const quick = { headMs: 700, idleMs: 700, bodyMs: 700, lingerMs: 700 };

describe('connections on which nothing happens end', () => {
  let made: FrontHere;
  beforeAll(async () => void (made = await frontHere(here(), { patience: quick })));
  afterAll(() => made.front.stop(0));

  test('one that never says a word, on both ports', async () => {
    const silent = [made.http, made.https].map((port) => net.connect(port, '127.0.0.1'));
    await Promise.all(silent.map(untilClosed));
  });

  test('HTTPS over HTTP/1.1, idle after its answer', async () => {
    const socket = await secure(made.https);
    socket.write(`GET / HTTP/1.1\r\nHost: ${name}\r\n\r\n`);
    expect(await untilClosed(socket)).toMatch(/^HTTP\/1.1 200 OK/);
  });

  test('half a head, on both ports', async () => {
    const plain = net.connect(made.http, '127.0.0.1');
    const secured = await secure(made.https);
    for (const socket of [plain, secured]) socket.write(`GET / HTTP/1.1\r\nHost: ${name}\r\nX-A`);
    expect(await Promise.all([plain, secured].map(untilClosed))).toEqual([
      expect.stringMatching(/^(HTTP\/1.1 408|$)/),
      expect.stringMatching(/^(HTTP\/1.1 408|$)/),
    ]);
  });

  test('HTTP/2: without a request, and with half of its head', async () => {
    const idle = await secure(made.https, { ALPNProtocols: ['h2'] });
    idle.write(preface);
    const half = await secure(made.https, { ALPNProtocols: ['h2'] });
    // HEADERS without END_HEADERS (RFC 9113 §6.2): more is announced and never comes.
    half.write(Buffer.concat([preface, frame(1, 0, 1, Buffer.from([0x82]))]));
    await Promise.all([untilClosed(idle), untilClosed(half)]);
  });

  test('an upload that stands still, over HTTP/1.1 and HTTP/2; one that goes on slowly arrives', async () => {
    const still = await secure(made.https);
    still.write(`POST / HTTP/1.1\r\nHost: ${name}\r\nContent-Length: 100\r\n\r\nabc`);
    const session = sessionTo(made.https, name);
    const stream = session.request({ ':method': 'POST' });
    stream.on('error', () => undefined);
    stream.write('abc');
    const slow = await secure(made.https);
    slow.write(`POST / HTTP/1.1\r\nHost: ${name}\r\nConnection: close\r\nContent-Length: 10\r\n\r\n`);
    const dripping = setInterval(() => slow.write('a'), 200);
    slow.on('close', () => clearInterval(dripping));
    const [, , said] = await Promise.all([untilClosed(still), once(stream, 'close'), untilClosed(slow)]);
    expect(said).toMatch(/^HTTP\/1.1 200 OK[^]*here/);
    session.destroy();
  });
});

/** RFC 9113 §3.4. */
const preface = Buffer.concat([Buffer.from('PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n'), frame(4, 0, 0, Buffer.alloc(0))]);

/** RFC 9113 §4.1. */
function frame(type: number, flags: number, stream: number, payload: Buffer): Buffer {
  const head = Buffer.alloc(9);
  head.writeUIntBE(payload.length, 0, 3);
  head.writeUInt8(type, 3);
  head.writeUInt8(flags, 4);
  head.writeUInt32BE(stream, 5);
  return Buffer.concat([head, payload]);
}

/** Descriptors of this process that are sockets. */
const sockets = (): number => readdirSync('/proc/self/fd').length;

test('a broken session of HTTP/2 leaves no descriptor behind', async () => {
  const { front, https } = await frontHere(here());
  const before = sockets();
  for (let times = 0; times < 20; times += 1) {
    const socket = await secure(https, { ALPNProtocols: ['h2'] });
    // HEADERS of a POST to / that goes on, then DATA on a stream that nobody opened (RFC 9113 §5.1), and away.
    const head = Buffer.concat([Buffer.from([0x83, 0x84, 0x87, 0x41, name.length]), Buffer.from(name)]);
    socket.end(Buffer.concat([preface, frame(1, 4, 1, head), frame(0, 0, 7, Buffer.from('x'))]));
    await untilClosed(socket);
  }
  for (let tries = 0; sockets() > before && tries < 200; tries += 1)
    await new Promise((resolve) => setTimeout(resolve, 25));
  expect(sockets()).toBeLessThanOrEqual(before);
  await front.stop(0);
});

describe('room', () => {
  const limits = { liveSeconds: 3600, headMs: 30_000, idleMs: 75_000, isShared: () => false };
  let server: net.Server;
  const accepted: net.Socket[] = [];
  beforeAll(async () => {
    server = await listening(
      net.createServer((socket) => accepted.push(socket)),
      0,
    );
  });
  afterAll(() => void server.close());

  async function come(from: string): Promise<net.Socket> {
    const socket = net.connect({ host: '127.0.0.1', port: portOf(server), localAddress: from });
    socket.on('error', () => undefined);
    await once(socket, 'connect');
    for (let tries = 0; accepted.length === 0 && tries < 100; tries += 1)
      await new Promise((resolve) => setImmediate(resolve));
    const [one] = accepted.splice(0);
    if (one === undefined) throw new Error('not accepted');
    one.on('error', () => undefined);
    return one;
  }

  test('the one that has been idle longest goes first, one that is at work never, and then nobody is let in', async () => {
    const visitors = new Visitors({ ...limits, most: 3 });
    const [first, second, third, fourth, fifth] = [
      await come('127.0.0.2'),
      await come('127.0.0.3'),
      await come('127.0.0.4'),
      await come('127.0.0.5'),
      await come('127.0.0.6'),
    ];
    const known = [first, second, third].map((socket) => visitors.admit(socket, true));
    visitors.begin(known[0] as NonNullable<(typeof known)[0]>);
    expect(visitors.admit(fourth, true)).not.toBeNull();
    expect([first, second, third].map(({ destroyed }) => destroyed)).toEqual([false, true, false]);
    await once(second, 'close');
    for (const one of [known[2], visitors.admit(fifth, true)])
      if (one !== null && one !== undefined) visitors.begin(one);
    expect(third.destroyed).toBe(true);
    visitors.stop();
    visitors.endAll();
  });

  test('a front with 256 descriptors serves the next visitor, whoever sits on the others', async () => {
    const { head, https } = await practiceHead();
    const folder = folderWith({ 'mile-marker.yaml': `${head}roads:\n${here()}` });
    expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
    const front = spawn('sh', ['-c', `ulimit -n 256; exec ${process.execPath} ${program} serve`], { cwd: folder });
    await says(front, 'Serving');
    const sitting: TLSSocket[] = [];
    // From a hundred addresses, as the limit of a single one is another.
    for (let count = 0; count < 300; count += 1)
      sitting.push(await secure(https, { localAddress: `127.0.1.${String(count % 100)}` } as tls.ConnectionOptions));
    const text = `GET / HTTP/1.1\r\nHost: ${name}\r\nConnection: close\r\n\r\n`;
    const outcome = await sendRaw({ port: https, tls: { servername: name }, text, from: '127.0.2.1' });
    expect(outcome).toMatchObject({ status: 200, body: 'here' });
    for (const socket of sitting) socket.destroy();
    await stop(front, 'SIGTERM');
  });

  test('whoever opens many and says nothing is turned away before anything is made for it, until one of them speaks', async () => {
    const visitors = new Visitors({ ...limits, most: 10_000 });
    const silent = [];
    for (let count = 0; count < 64; count += 1) silent.push(visitors.admit(await come('127.0.0.2'), true));
    expect(silent).not.toContain(null);
    const late = await come('127.0.0.2');
    expect([visitors.admit(late, true), late.destroyed]).toEqual([null, true]);
    expect(visitors.admit(await come('127.0.0.3'), true)).not.toBeNull();
    const [first] = silent;
    if (first !== null && first !== undefined) visitors.begin(first);
    expect(visitors.admit(await come('127.0.0.2'), true)).not.toBeNull();
    visitors.stop();
    visitors.endAll();
  });

  test('streams that are taken back at once reach no service, and a connection that goes on with it ends', async () => {
    const { front, https } = await frontHere(here());
    reached = 0;
    const socket = await secure(https, { ALPNProtocols: ['h2'] });
    socket.write(
      Buffer.concat([greeting, ...Array.from({ length: 600 }, (_, index) => takenBackStream(1 + 2 * index, name))]),
    );
    await untilClosed(socket);
    expect(reached).toBeLessThan(64);
    const text = `GET / HTTP/1.1\r\nHost: ${name}\r\nConnection: close\r\n\r\n`;
    expect(await sendRaw({ port: https, tls: { servername: name }, text })).toMatchObject({
      status: 200,
      body: 'here',
    });
    await front.stop(0);
  });

  test('one client takes the room of others no more than its own', async () => {
    const visitors = new Visitors({ ...limits, most: 10_000 });
    const other = visitors.admit(await come('127.0.0.9'), true);
    const all: net.Socket[] = [];
    for (let count = 0; count < 258; count += 1) {
      const socket = await come('127.0.0.2');
      all.push(socket);
      const visitor = visitors.admit(socket, true);
      if (visitor === null) throw new Error('turned away');
      visitors.begin(visitor);
      visitors.end(visitor);
    }
    expect(all.map(({ destroyed }) => destroyed).lastIndexOf(true)).toBe(1);
    expect(other?.socket.destroyed).toBe(false);
    visitors.stop();
    visitors.endAll();
  });
});
