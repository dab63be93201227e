import { proxyNames } from '../src/core/proxies/names.ts';
import { text } from 'node:stream/consumers';
import { createHash, randomBytes } from 'node:crypto';
import { copyFileSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import bcrypt from 'bcryptjs';
import http from 'node:http';
import http2 from 'node:http2';
import https from 'node:https';
import type { AddressInfo } from 'node:net';
import net from 'node:net';
import tls, { type TLSSocket } from 'node:tls';
import { join } from 'node:path';
import fc from 'fast-check';
import WebSocket, { WebSocketServer } from 'ws';
import { startBuiltin as startInProcess } from '../src/builtin/server.ts';
import { startFront, startNginx, type ProxyName, type RunningFront } from './support/fronts.ts';
import { plannedOf } from './support/plan.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { ended, folderWith, launch, mileMarker, says } from './support/program.ts';
import { practiceHead } from './support/site.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';

const name = 'nestcam.saltmarsh.example';

/** Asks the front over HTTPS; the practice authority of `folder` is the only one trusted. */
function asker(folder: string, port: number) {
  const ca = readFileSync(join(folder, '.mile-marker/practice/authority.pem'));
  return (options: https.RequestOptions): http.ClientRequest =>
    https.request({
      host: '127.0.0.1',
      port,
      servername: name,
      ca,
      agent: false,
      ...options,
      headers: { host: `${name}:${String(port)}`, ...options.headers },
    });
}

const answered = (request: http.ClientRequest): Promise<http.IncomingMessage> =>
  new Promise((resolve, reject) => {
    request.on('response', resolve);
    request.on('error', reject);
  });

const chunkOf = (stream: NodeJS.ReadableStream): Promise<string> =>
  new Promise((resolve) => stream.once('data', (chunk: Buffer) => resolve(chunk.toString())));

async function bodyOf(response: http.IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  for await (const chunk of response as AsyncIterable<Buffer>) chunks.push(chunk);
  return Buffer.concat(chunks);
}

test('the builtin proxy says good-bye to a connection of HTTP/2 that is idle, and stops', async () => {
  const { head, https: port } = await practiceHead();
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads: {nestcam: {redirect: "https://www.example.org", gate: everyone}}\n`,
  });
  const front = await startFront(folder, 'builtin');
  const session = http2.connect(`https://${name}:${String(port)}`, {
    createConnection: () =>
      tls.connect({ host: '127.0.0.1', port, servername: name, ALPNProtocols: ['h2'], rejectUnauthorized: false }),
  });
  const stream = session.request({ ':path': '/' });
  const [answer] = (await once(stream, 'response')) as [http2.IncomingHttpHeaders];
  expect(answer[':status']).toBe(307);
  stream.resume();
  await once(stream, 'close');
  // It says that it goes (RFC 9113 §6.8), so that the other end opens another connection for what is next.
  const told = once(session, 'goaway');
  await Promise.all([front.stop(), told]);
});

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  let service: http.Server;
  let front: RunningFront;
  let ask: ReturnType<typeof asker>;
  let folder: string;
  let httpsPort: number;
  let onRequest: http.RequestListener = () => undefined;

  beforeAll(async () => {
    service = await listening(
      http.createServer((request, response) => onRequest(request, response)),
      0,
    );
    const live = new WebSocketServer({ server: service });
    live.on('connection', (socket) =>
      socket.on('message', (data, isBinary) => socket.send(data, { binary: isBinary })),
    );
    const { head, https: port } = await practiceHead(proxy);
    httpsPort = port;
    folder = folderWith({
      'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ":${String(portOf(service))}", gate: everyone}\n  small: {to: ":${String(portOf(service))}", gate: everyone, body-limit: 5B}\n`,
    });
    front = await startFront(folder, proxy);
    ask = asker(folder, port);
  });

  afterAll(async () => {
    await front.stop();
    service.closeAllConnections();
    service.close();
  });

  test('TLS 1.3 is spoken, 1.2 too, and nothing older', async () => {
    const shake = (version: tls.SecureVersion): Promise<string | null> =>
      new Promise((resolve) => {
        const ciphers = 'ALL:@SECLEVEL=0';
        const socket = tls.connect(
          {
            host: '127.0.0.1',
            port: httpsPort,
            servername: name,
            rejectUnauthorized: false,
            minVersion: version,
            maxVersion: version,
            ciphers,
          },
          () => {
            resolve(socket.getProtocol());
            socket.destroy();
          },
        );
        socket.on('error', () => resolve(null));
      });
    const spoken = await Promise.all((['TLSv1', 'TLSv1.1', 'TLSv1.2', 'TLSv1.3'] as const).map(shake));
    expect(spoken).toEqual([null, null, 'TLSv1.2', 'TLSv1.3']);
  });

  test('an upload is refused before it is sent, or told to go on, and arrives', async () => {
    const bodies: string[] = [];
    onRequest = (request, response) => {
      let body = '';
      request.on('data', (chunk: Buffer) => (body += chunk.toString()));
      request.on('end', () => {
        bodies.push(body);
        response.end('kept');
      });
    };
    const announce = (length: number): tls.TLSSocket => {
      const socket = tls.connect({
        host: '127.0.0.1',
        port: httpsPort,
        servername: 'small.saltmarsh.example',
        rejectUnauthorized: false,
      });
      socket.write(
        `POST /in HTTP/1.1\r\nHost: small.saltmarsh.example:${String(httpsPort)}\r\nContent-Length: ${String(length)}\r\nExpect: 100-continue\r\n\r\n`,
      );
      return socket.setEncoding('latin1');
    };
    const tooLong = announce(6);
    // It ends with the refusal: what comes next on it might be the body or another request.
    const refusal = await text(tooLong);
    // Newer versions of haproxy end it without a word.
    expect(refusal).toMatch(
      proxy === 'haproxy' ? /^HTTP\/1\.1 413 / : /^HTTP\/1\.1 413 [^]*\r\nConnection: close\r\n/i,
    );
    expect(bodies).toEqual([]);
    const fits = announce(5);
    const [said] = (await once(fits, 'data')) as [string];
    expect(said).toBe('HTTP/1.1 100 Continue\r\n\r\n');
    fits.write('knots');
    const [answer] = (await once(fits, 'data')) as [string];
    expect(answer).toMatch(/^HTTP\/1\.1 200 /);
    fits.destroy();
    expect(bodies).toEqual(['knots']);
  });

  test('an answer passes as it comes: the second event is sent only after the first one has arrived', async () => {
    let next = (): void => undefined;
    onRequest = (_, response) => {
      response.writeHead(200, { 'content-type': 'text/event-stream' });
      response.write('data: dunlin\n\n');
      next = () => response.end('data: avocet\n\n');
    };
    const request = ask({ path: '/events' });
    request.end();
    const response = await answered(request);
    expect(await chunkOf(response)).toContain('dunlin');
    next();
    expect((await bodyOf(response)).toString()).toContain('avocet');
  });

  test('an upload passes as it comes: the second part is sent only after the service has the first', async () => {
    const first = new Promise<string>((resolve) => {
      onRequest = (request, response) => {
        void chunkOf(request).then(resolve);
        request.on('end', () => response.end('thanks'));
      };
    });
    const request = ask({ method: 'POST', path: '/upload' });
    request.write('spoonbill');
    expect(await first).toBe('spoonbill');
    request.end('heron');
    expect((await bodyOf(await answered(request))).toString()).toBe('thanks');
  });

  test('thirty megabytes arrive whole in both directions', async () => {
    const bytes = randomBytes(30 * 1024 * 1024);
    // The service answers when it has all of it: nginx does not pass a body on once the answer has begun.
    onRequest = (request, response) => {
      const chunks: Buffer[] = [];
      request.on('data', (chunk: Buffer) => chunks.push(chunk));
      request.on('end', () => response.end(Buffer.concat(chunks)));
    };
    const request = ask({ method: 'POST', path: '/', headers: { 'content-length': String(bytes.length) } });
    request.end(bytes);
    const back = await bodyOf(await answered(request));
    expect(createHash('sha256').update(back).digest('hex')).toBe(createHash('sha256').update(bytes).digest('hex'));
  });

  test('an answer that breaks off is seen to break off', async () => {
    onRequest = (_, response) => {
      response.writeHead(200, { 'content-length': '1000' });
      response.write('half', () => response.socket?.destroy());
    };
    const request = ask({ path: '/' });
    request.end();
    const response = await answered(request);
    await expect(bodyOf(response)).rejects.toThrow(/aborted|ECONNRESET/);
  });

  test('a WebSocket carries text and bytes both ways', async () => {
    const ca = readFileSync(join(folder, '.mile-marker/practice/authority.pem'));
    const socket = new WebSocket(`wss://${name}:${String(httpsPort)}/live`, { ca, lookup: loopback });
    const received: string[] = [];
    await new Promise<void>((resolve, reject) => {
      socket.on('error', reject);
      socket.on('open', () => {
        socket.send('frame 1');
        socket.send(Buffer.from([0, 255, 10, 13]));
      });
      socket.on('message', (data: Buffer, isBinary) => {
        received.push(isBinary ? data.toString('hex') : data.toString());
        if (received.length === 2) resolve();
      });
    });
    socket.close();
    expect(received).toEqual(['frame 1', '00ff0a0d']);
  });

  test('an empty request reaches the service without a body, whatever its method', async () => {
    const seen: string[] = [];
    onRequest = (request, response) => {
      const { 'content-length': length = 'none', 'transfer-encoding': coding = 'none' } = request.headers;
      seen.push(`${request.method ?? ''} ${length} ${coding}`);
      response.writeHead(200, { x_odd_name: 'kept' }).end();
    };
    for (const method of ['GET', 'DELETE', 'POST']) {
      const request = ask({ method, path: '/', headers: method === 'POST' ? { 'content-length': '0' } : {} });
      request.end();
      const response = await answered(request);
      expect(response.headers['x_odd_name']).toBe('kept');
      response.resume();
    }
    expect(seen).toEqual(['GET none none', 'DELETE none none', 'POST 0 none']);
  });

  test('headers of the answer pass unchanged, doubled ones too, and the front adds none that speak of the inside', async () => {
    onRequest = (_, response) =>
      response
        .writeHead(201, 'Ringed', { 'set-cookie': ['a=1', 'b=2'], location: 'http://inside:1/x', etag: '"7"' })
        .end();
    const request = ask({ method: 'PUT', path: '/' });
    request.end();
    const { statusCode, headers } = await answered(request);
    expect([statusCode, headers['set-cookie'], headers.location, headers.etag]).toEqual([
      201,
      ['a=1', 'b=2'],
      'http://inside:1/x',
      '"7"',
    ]);
    expect(JSON.stringify(headers)).not.toContain(String(portOf(service)));
  });
});

type Found = (error: Error | null, address: Array<{ address: string; family: number }>) => void;
function loopback(_: string, _options: unknown, done: unknown): void {
  (done as Found)(null, [{ address: '127.0.0.1', family: 4 }]);
}

describe('builtin', () => {
  test('a service that answers garbage gets its visitors a 502 or a cut connection, and the front lives on', async () => {
    const answers = [
      'HTTP/1.1 200 O\u0001K\r\n\r\n',
      'HTTP/1.1 200 OK\r\nX: \u0001\r\n\r\n',
      'HTTP/1.1 999 Odd\r\nContent-Length: 0\r\n\r\n',
      'HTTP/1.1 200 OK\r\n: x\r\n\r\n',
      'SSH-2.0-marsh\r\n',
      '\u0000',
      '',
    ];
    let next = '';
    const garbage = await listening(
      net.createServer((socket) => socket.on('error', () => undefined).once('data', () => socket.end(next, 'latin1'))),
      0,
    );
    const { head, https: port } = await practiceHead();
    const folder = folderWith({
      'mile-marker.yaml': `${head}roads:\n  odd: {to: ":${String(portOf(garbage))}", gate: everyone}\n`,
    });
    const front = await startFront(folder, 'builtin');
    const host = 'odd.saltmarsh.example';
    for (const extra of ['', 'Upgrade: websocket\r\nConnection: Upgrade\r\n']) {
      for (next of answers) {
        const outcome = await sendRaw({
          port,
          tls: { servername: host },
          text: `GET / HTTP/1.1\r\nHost: ${host}\r\n${extra === '' ? 'Connection: close\r\n' : extra}\r\n`,
        });
        expect(outcome.kind === 'answer' ? [502, 999, 200] : [outcome.kind]).toContain(
          outcome.kind === 'answer' ? outcome.status : 'closed',
        );
      }
    }
    next = 'HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok';
    const text = `GET / HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`;
    expect(await sendRaw({ port, tls: { servername: host }, text })).toMatchObject({
      kind: 'answer',
      status: 200,
      body: 'ok',
    });
    await front.stop();
    garbage.close();
  });

  test('says 502 when a service refuses, 504 when it is silent, and nothing of the inside to the visitor', async () => {
    const silent = await listening(
      net.createServer(() => undefined),
      0,
    );
    const { http: httpPort, https: httpsPort, head } = await practiceHead();
    const [dead = 0] = await freePorts(1);
    const text = `${head}roads:\n  refused: {to: ":${String(dead)}", gate: everyone}\n  silent: {to: ":${String(portOf(silent))}", gate: everyone, timeout: 1s}\n  lost: {to: "https://127.0.0.1:${String(dead)}", gate: everyone, upstream-ca: gone.pem}\n`;
    const folder = folderWith({ 'mile-marker.yaml': text });
    await mileMarker(['certs', 'make'], folder);
    const { plan } = plannedOf(text);
    for (const certificate of plan.certificates) {
      const own = join(folder, '.mile-marker/certificates', certificate.id, 'current');
      Object.assign(certificate, { certificateFile: join(own, 'certificate.pem'), keyFile: join(own, 'key.pem') });
    }
    plan.limits = { connectSeconds: 1, silenceSeconds: 1, liveSeconds: 1 };
    const troubles: string[] = [];
    const front = await startInProcess({ plan, mark: 'm', onTrouble: (message) => troubles.push(message) });
    const get = (host: string, extra = '') =>
      sendRaw({
        port: httpsPort,
        tls: { servername: host },
        text: `GET / HTTP/1.1\r\nHost: ${host}\r\n${extra}Connection: close\r\n\r\n`,
      });
    const upgrade = 'Upgrade: websocket\r\nSec-WebSocket-Key: x\r\nSec-WebSocket-Version: 13\r\n';
    for (const [host, status] of [
      ['refused.saltmarsh.example', 502],
      ['lost.saltmarsh.example', 502],
      ['silent.saltmarsh.example', 504],
    ] as const) {
      for (const extra of ['', upgrade]) {
        const outcome = await get(host, extra);
        expect(outcome).toMatchObject({ kind: 'answer', status });
        expect(JSON.stringify(outcome)).not.toMatch(/127\.0\.0\.1|ECONN/);
      }
    }
    expect(troubles[0]).toContain(`http://127.0.0.1:${String(dead)}: the connection was refused`);
    expect(httpPort).toBeGreaterThan(0);
    await front.stop(1000);
    silent.close();
  });

  test('no bytes from a stranger, sound or not, take the front down', async () => {
    const service = await listening(
      http.createServer((request, response) => request.resume() && response.end('ok')),
      0,
    );
    service.on('upgrade', (_, socket) =>
      socket.on('error', () => undefined).end('HTTP/1.1 101 x\r\nUpgrade: websocket\r\nConnection: upgrade\r\n\r\n'),
    );
    const { head, http: httpPort, https: port } = await practiceHead();
    const folder = folderWith({
      'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ":${String(portOf(service))}", gate: everyone}\n`,
    });
    const front = await startFront(folder, 'builtin');
    const pieces = [
      'GET / HTTP/1.1\r\n',
      'POST /x HTTP/1.1\r\n',
      `Host: ${name}\r\n`,
      'Upgrade: h2c\r\n',
      'Upgrade: websocket\r\n',
      'Connection: Upgrade, HTTP2-Settings\r\n',
      'Content-Length: 5\r\n',
      'Content-Length: -1\r\n',
      'Transfer-Encoding: chunked\r\n',
      'Expect: 100-continue\r\n',
      '\r\n',
      'hello',
      '5\r\nhello\r\n0\r\n\r\n',
      'CONNECT a:1 HTTP/1.1\r\n',
      'PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n',
      '\u0000\u00ff',
      `X: ${'a'.repeat(20_000)}\r\n`,
    ];
    const bytes = fc.array(fc.constantFrom(...pieces), { minLength: 1, maxLength: 10 }).map((parts) => parts.join(''));
    const throwAt = (secure: boolean, text: string): Promise<void> =>
      new Promise((resolve) => {
        const socket = secure
          ? tls.connect({ host: '127.0.0.1', port, servername: name, rejectUnauthorized: false })
          : net.connect(httpPort, '127.0.0.1');
        socket.on('error', () => resolve());
        socket.write(Buffer.from(text, 'latin1'), () => setTimeout(() => socket.destroy(), 5));
        socket.on('close', () => resolve());
      });
    await fc.assert(
      fc.asyncProperty(fc.boolean(), fc.boolean(), bytes, (secure, begun, text) =>
        throwAt(secure, `${begun ? `GET / HTTP/1.1\r\nHost: ${name}\r\n` : ''}${text}`),
      ),
      { numRuns: 100 },
    );
    const text = `GET / HTTP/1.1\r\nHost: ${name}\r\nConnection: close\r\n\r\n`;
    expect(await sendRaw({ port, tls: { servername: name }, text })).toMatchObject({ kind: 'answer', status: 200 });
    await front.stop();
    service.close();
    service.closeAllConnections();
  });

  test('a new certificate on disk is shown without a restart', async () => {
    const { head, https: port } = await practiceHead();
    const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {a: ":80", b: ":80"}\n` });
    const front = await startFront(folder, 'builtin');
    const shown = (): Promise<string> =>
      new Promise((resolve, reject) => {
        const request = https.get(
          {
            host: '127.0.0.1',
            port,
            servername: 'a.saltmarsh.example',
            headers: { host: 'a.saltmarsh.example' },
            rejectUnauthorized: false,
            agent: false,
          },
          (response) => {
            resolve((response.socket as TLSSocket).getPeerCertificate().fingerprint256);
            response.resume();
          },
        );
        request.on('error', reject);
      });
    const before = await shown();
    const of = (road: string, file: string) =>
      join(folder, '.mile-marker/certificates', `${road}.saltmarsh.example`, 'current', file);
    copyFileSync(of('b', 'key.pem'), of('a', 'key.pem'));
    copyFileSync(of('b', 'certificate.pem'), of('a', 'certificate.pem'));
    expect(await shown()).not.toBe(before);
    await front.stop();
  });

  test('Ctrl-C lets a request in flight end, takes no new one, and ends with 130', async () => {
    let finish = (): void => undefined;
    const begun = new Promise<void>((resolve) => {
      finish = resolve;
    });
    let release = (): void => undefined;
    const service = await listening(
      http.createServer((_, response) => {
        finish();
        release = () => response.end('finished');
      }),
      0,
    );
    const { head, https: port } = await practiceHead();
    const folder = folderWith({
      'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ":${String((service.address() as AddressInfo).port)}", gate: everyone}\n`,
    });
    await mileMarker(['certs', 'make'], folder);
    const child = launch(['serve'], folder);
    await says(child, 'Serving');
    const request = asker(folder, port)({ path: '/' });
    request.end();
    await begun;
    const stopping = says(child, 'Stopping');
    const over = ended(child);
    child.kill('SIGINT');
    await stopping;
    expect(await sendRaw({ port, text: 'GET / HTTP/1.1\r\n\r\n' })).toEqual({ kind: 'closed' });
    release();
    expect((await bodyOf(await answered(request))).toString()).toBe('finished');
    expect((await over).code).toBe(130);
    service.close();
  });

  test('a login that is just being checked when the front stops is not told that it is wrong', async () => {
    const service = await listening(
      http.createServer((_, response) => response.end('inside')),
      0,
    );
    const { head, https: port } = await practiceHead();
    const folder = folderWith({
      'mile-marker.yaml': `${head}gates: {wardens: {people: wardens}}\nroads:\n  nestcam: {to: ":${String((service.address() as AddressInfo).port)}", gate: wardens}\n`,
      // So dear that the front is asked to stop while it counts.
      wardens: `edda:${bcrypt.hashSync('tern over the spit', 13)}\n`,
    });
    await mileMarker(['certs', 'make'], folder);
    const child = launch(['serve'], folder);
    await says(child, 'Serving');
    const authorization = `Basic ${Buffer.from('edda:tern over the spit').toString('base64')}`;
    const request = asker(folder, port)({ path: '/', headers: { authorization } });
    const threads = (): number => readdirSync(`/proc/${String(child.pid)}/task`).length;
    const before = threads();
    request.end();
    // Passwords are checked in a thread of their own, which the first of them starts.
    for (let tries = 0; threads() === before && tries < 2000; tries += 1)
      await new Promise((resolve) => setImmediate(resolve));
    const stopping = says(child, 'Stopping');
    child.kill('SIGINT');
    await stopping;
    expect((await answered(request)).statusCode).toBe(200);
    service.close();
  });

  test('a port that is taken: which one, how to see by whom, exit code 3', async () => {
    const { head, https: port } = await practiceHead();
    const taken = await listening(net.createServer(), port);
    const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {a: ":80"}\n` });
    const { code, err } = await mileMarker(['serve'], folder);
    expect(code).toBe(3);
    expect(err).toContain(`Cannot listen on 127.0.0.1 port ${String(port)}: the port is taken.`);
    expect(err).toContain(`ss -ltnp 'sport = :${String(port)}'`);
    taken.close();
  });

  test('a map that broke after it was written does not take the front down', async () => {
    const { head, http: port } = await practiceHead();
    const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {a: ":80"}\n` });
    expect((await mileMarker(['write'], folder)).code).toBe(0);
    writeFileSync(join(folder, 'mile-marker.yaml'), 'domains: [\n');
    const child = launch(['serve'], folder);
    await says(child, 'Serving edition 0001');
    await says(child, 'Serving 1 road').catch(() => undefined);
    const outcome = await sendRaw({
      port,
      text: 'GET /x HTTP/1.1\r\nHost: a.saltmarsh.example\r\nConnection: close\r\n\r\n',
    });
    expect(outcome).toMatchObject({ kind: 'answer', status: 308 });
    const over = ended(child);
    child.kill('SIGTERM');
    expect((await over).code).toBe(0);
  });
});

test('nginx answers the mark of the edition it runs', async () => {
  const { head, mark } = await practiceHead('nginx');
  const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {a: ":80"}\n` });
  await mileMarker(['write'], folder);
  const front = await startNginx(folder);
  const outcome = await sendRaw({ port: mark, text: 'GET /mark HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n' });
  const written = readFileSync(join(folder, '.mile-marker/front/current/mark.txt'), 'utf8').split('\n')[0] ?? '';
  expect(outcome).toMatchObject({ kind: 'answer', status: 200, body: written });
  await front.stop();
});
