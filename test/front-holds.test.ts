import { proxyNames } from '../src/core/proxies/names.ts';
import { spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import http2 from 'node:http2';
import https from 'node:https';
import net from 'node:net';
import { join } from 'node:path';
import tls from 'node:tls';
import bcrypt from 'bcryptjs';
import { programOf } from '../src/core/proxies/programs.ts';
import { longestCredentialsBytes } from '../src/core/front-limits.ts';
import type { ProxyName } from './support/fronts.ts';
import { HeldFront, type MapText, type Row } from './support/held-against-verdict.ts';
import { headersFrame, preface } from './support/http2.ts';
import { listening, portOf } from './support/ports.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';
import type { Outcome } from '../src/core/rehearsal/sent.ts';

/** What both fronts make of requests that once were understood in two ways, and of services and visitors that break off. */

const open = 'open.saltmarsh.example';
const statusOf = (outcome: Outcome): number | string => (outcome.kind === 'answer' ? outcome.status : outcome.kind);
const basic = (text: string): string => `Basic ${Buffer.from(text).toString('base64')}`;
/** As long as it may be, with a name of four letters and the colon. */
const longest = 'p'.repeat(longestCredentialsBytes - 'lena:'.length);

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  let front: HeldFront;
  /** What it does otherwise is declared: `several-lines`, `long-heads`, `many-lines`, `cookies` of its differences. */
  const isHttpd = proxy === 'httpd';
  /** A service that answers the first request of each connection, and hangs up on the next. */
  let fickle: net.Server;
  const asked: string[] = [];
  /** A service that does not speak HTTP, and what it heard. */
  let rude: net.Server;
  let heard = '';
  let rudeWords = '220 tide tables\r\n';
  // What it cannot, `check` says; see `differences`.
  const { rate: counts } = programOf(proxy).limits;
  const rate = counts ? ', rate: 1/m burst 1' : '';
  const testRate = counts ? test : test.failing;

  const mapText: MapText = ({ ports, echoes }) => {
    const [birdLog, nestcam, roster] = echoes.map(({ port }) => String(port));
    return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  edge: {networks: 127.0.0.7/32}
gates: {wardens: {people: w}}
roads:
  open: {to: ":${birdLog ?? ''}", gate: everyone}
  site: {${programOf(proxy).limits.folders ? 'folder: ./site' : 'redirect: "https://www.example.org"'}, gate: everyone}
  few: {to: ":${nestcam ?? ''}", gate: everyone${rate}}
  scarce: {to: ":${nestcam ?? ''}", gate: everyone${rate}}
  said: {to: ":${nestcam ?? ''}", gate: everyone, upstream-host: tides.internal, response-headers: {X-Tide: high}}
  guarded: {to: ":${roster ?? ''}", gate: wardens}
  fickle: {to: ":${String(portOf(fickle))}", gate: everyone}
  rude: {to: ":${String(portOf(rude))}", gate: everyone}
`;
  };

  /** Connections to the service that are open. */
  const kept = new Set<net.Socket>();

  beforeAll(async () => {
    fickle = await listening(
      net.createServer((socket) => {
        let isFirst = true;
        kept.add(socket);
        socket.once('close', () => kept.delete(socket));
        socket.on('error', () => undefined);
        socket.on('data', (chunk: Buffer) => {
          const [method = ''] = chunk.toString().split(' ');
          asked.push(method);
          if (!isFirst) socket.destroy();
          else socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok');
          isFirst = false;
        });
      }),
      0,
    );
    rude = await listening(
      net.createServer((socket) => {
        socket.on('error', () => undefined);
        socket.once('data', (chunk: Buffer) => {
          heard = chunk.toString('latin1');
          socket.end(rudeWords);
        });
      }),
      0,
    );
    // Of a long password bcrypt reads the first 72 bytes.
    const people = ['edda:kittiwake', `lena:${longest}`, `bram:${longest}pp`].map((one) => {
      const [person = '', password = ''] = one.split(':');
      return `${person}:${bcrypt.hashSync(password, 5)}\n`;
    });
    front = await HeldFront.start(proxy, mapText, { w: people.join(''), 'site/index.html': 'high water' });
  });
  afterAll(async () => {
    await front.stop();
    fickle.close();
    rude.close();
  });

  const raw = (text: string, { sni = open, from = '127.0.0.3', until = '' } = {}): Promise<Outcome> =>
    sendRaw({
      port: front.ports.https,
      text,
      from,
      tls: { servername: sni },
      ...(until === '' ? {} : { until }),
    });
  const lines = (...more: string[]): string => [`Host: ${open}`, ...more, 'Connection: close', '', ''].join('\r\n');
  const seenOf = async (row: Partial<Row>): Promise<Record<string, string> | undefined> => {
    for (const echo of front.echoes) echo.seen.length = 0;
    await front.send({ what: '', host: [open], ...row });
    return front.echoes.flatMap(({ seen }) => seen)[0]?.headers;
  };

  describe('a kept connection that its service closes under a request', () => {
    const host = 'fickle.saltmarsh.example';
    /** Ends what the front has kept from questions before, as the front itself sees it; httpd looks when it wants to use one. */
    const nothingKept = (): Promise<unknown> =>
      Promise.all(
        [...kept].map(async (socket) => {
          const closed = once(socket, 'close');
          if (isHttpd) socket.destroy();
          else socket.end();
          await closed;
        }),
      );
    /** What two requests on one connection get, and the service: the second one goes out on its kept connection. */
    const twice = async (version: '1.1' | '2', method: string): Promise<[unknown[], boolean]> => {
      await nothingKept();
      asked.length = 0;
      const options = { servername: host, rejectUnauthorized: false };
      const visitor = http2.connect(`https://127.0.0.1:${String(front.ports.https)}`, options);
      const agent = new https.Agent({ ...options, keepAlive: true, maxSockets: 1 });
      const inStream = async (): Promise<unknown> => {
        const stream = visitor.request({ ':method': method, ':authority': host }, { endStream: true });
        const [head] = (await once(stream.resume(), 'response')) as [http2.IncomingHttpHeaders];
        await once(stream, 'close');
        return head[':status'];
      };
      const inLine = async (): Promise<unknown> => {
        const headers = { host, ...(method === 'POST' ? { 'content-length': '0' } : {}) };
        const request = https.request({ host: '127.0.0.1', port: front.ports.https, method, headers, agent });
        const [answer] = (await once(request.end(), 'response')) as [IncomingMessage];
        await once(answer.resume(), 'end');
        return answer.statusCode;
      };
      const ask = (): Promise<unknown> => (version === '2' ? inStream() : inLine()).catch(() => 'no answer');
      const got = [await ask(), await ask()];
      visitor.destroy();
      agent.destroy();
      return [got, asked.length > 2];
    };
    const isHaproxy = proxy === 'haproxy';

    test('a GET is sent once more', async () => {
      expect(await twice('1.1', 'GET')).toEqual([[200, isHttpd ? 'no answer' : 200], !isHttpd]);
      expect(await twice('2', 'GET')).toEqual([[200, isHttpd ? 502 : 200], !isHttpd]);
    });

    test('a POST never', async () => {
      expect(await twice('1.1', 'POST')).toEqual([[200, isHaproxy || isHttpd ? 'no answer' : 502], false]);
      expect(await twice('2', 'POST')).toEqual([[200, isHaproxy ? 'no answer' : 502], false]);
    });

    (isHttpd ? test : () => undefined)(
      'the first request of a visitor: a GET is sent once more, a POST goes on a connection of its own',
      async () => {
        const first = async (method: string): Promise<number | string> =>
          statusOf(
            await raw(`${method} / HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`, {
              sni: host,
            }),
          );
        // Kept connections belong to a process, and which one a visitor gets is chance.
        asked.length = 0;
        let sent = 0;
        for (; sent === asked.length && sent < 50; sent++) expect(await first('GET')).toBe(200);
        expect(asked).toHaveLength(sent + 1);
        asked.length = 0;
        for (let post = 0; post < 10; post++) expect(await first('POST')).toBe(200);
        expect(asked).toHaveLength(10);
      },
    );
  });

  test.each(['TLSv1.2', 'TLSv1.3'] as const)(
    '%s: who takes up a session again gets an answer, on whichever road',
    async (version) => {
      const names = [open, 'few.saltmarsh.example', 'site.saltmarsh.example', open];
      let session: Buffer | undefined;
      for (const servername of names) {
        const socket = tls.connect({
          host: '127.0.0.1',
          port: front.ports.https,
          localAddress: `127.0.0.${String(20 + names.indexOf(servername))}`,
          servername,
          rejectUnauthorized: false,
          minVersion: version,
          maxVersion: version,
          ...(session === undefined ? {} : { session }),
        } as tls.ConnectionOptions);
        socket.on('session', (given) => (session = given));
        await once(socket, 'secureConnect');
        socket.write(`HEAD / HTTP/1.1\r\nHost: ${servername}\r\nConnection: close\r\n\r\n`);
        const [chunk] = (await once(socket, 'data')) as [Buffer];
        expect([servername, chunk.toString().split('\r\n')[0]]).toEqual([
          servername,
          expect.stringMatching(/^HTTP\/1.1 (200|307) /),
        ]);
        // What the certificate is for was chosen anew.
        expect(socket.getPeerCertificate().subjectaltname).toBe(`DNS:${servername}`);
        socket.destroy();
      }
      const file = join(front.folder, `session-${version}`);
      const at = [
        's_client',
        '-connect',
        `127.0.0.1:${String(front.ports.https)}`,
        '-servername',
        'site.saltmarsh.example',
        '-quiet',
        '-ign_eof',
      ];
      for (const more of [
        ['-sess_out', file],
        ['-sess_in', file],
        ['-sess_in', file, '-no_ticket'],
      ]) {
        // Where no session was given there is none to take up.
        if (more[0] === '-sess_in' && !existsSync(file)) continue;
        const { stdout } = spawnSync(
          'openssl',
          [...at, `-${version.toLowerCase().replace('v', '').replace('.', '_')}`, ...more],
          {
            // The services are in this process, which waits for openssl; the folder is not.
            input: 'GET / HTTP/1.1\r\nHost: site.saltmarsh.example\r\nConnection: close\r\n\r\n',
            encoding: 'latin1',
            timeout: 20_000,
          },
        );
        expect([more[0], stdout.split('\r\n')[0]]).toEqual([more[0], expect.stringMatching(/^HTTP\/1.1 (200|307) /)]);
      }
    },
  );

  test.each([
    [900, 1],
    [1200, 0],
  ])('%i header lines hide neither the length of a body nor what follows it', async (count, reaching) => {
    const inner = `GET /hidden HTTP/1.1\r\nHost: ${open}\r\nX-Forwarded-For: 127.0.0.1\r\n\r\n`;
    const many = Array.from({ length: count }, (_, index) => `a${String(index)}: b`);
    for (const echo of front.echoes) echo.seen.length = 0;
    const outcome = await raw(
      `POST / HTTP/1.1\r\n${lines(...many, `Content-Length: ${String(inner.length)}`)}${inner}`,
    );
    expect(statusOf(outcome)).toBe(reaching === 1 ? 200 : isHttpd ? 400 : 431);
    const seen = front.echoes.flatMap((echo) => echo.seen);
    expect(seen.map(({ method, target, body }) => [method, target, body])).toEqual(
      Array.from({ length: reaching }, () => ['POST', '/', inner]),
    );
  });

  test.each<[string, string, number]>([
    ['a header line of nine thousand bytes', `GET / HTTP/1.1\r\nX-Long: ${'a'.repeat(9000)}\r\n`, isHttpd ? 400 : 431],
    [
      'forty thousand bytes of headers',
      `GET / HTTP/1.1\r\n${`X-A: ${'a'.repeat(4000)}\r\n`.repeat(10)}`,
      isHttpd ? 400 : 431,
    ],
    ['a target of nine thousand bytes', `GET /${'a'.repeat(9000)} HTTP/1.1\r\n`, 414],
    [
      'a coding of a body that nobody knows',
      'POST / HTTP/1.1\r\nTransfer-Encoding: gzip, chunked\r\n',
      Number(programOf(proxy).differs?.coding),
    ],
    ['a port that is none', `GET / HTTP/1.1\r\nHost: ${open}:65536\r\nX-`, 400],
    ...(isHttpd
      ? []
      : [
          [
            'two lines of Authorization',
            'GET / HTTP/1.1\r\nAuthorization: Bearer a\r\nAuthorization: Bearer b\r\n',
            400,
          ] as [string, string, number],
        ]),
  ])('%s: refused with its own status on both ports, and nothing reaches a service', async (_, text, status) => {
    for (const echo of front.echoes) echo.seen.length = 0;
    const whole = `${text}${lines()}`;
    const plain = await sendRaw({ port: front.ports.http, text: whole, from: '127.0.0.3' });
    expect([statusOf(await raw(whole)), statusOf(plain)]).toEqual([status, status]);
    expect(front.echoes.flatMap(({ seen }) => seen)).toEqual([]);
  });

  test('TRACE and CONNECT are told what is allowed', async () => {
    const trace = await raw(`TRACE / HTTP/1.1\r\n${lines()}`);
    expect(trace).toMatchObject({ status: 405, headers: { allow: 'GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS' } });
    // nginx takes the authority of a tunnel for a malformed target.
    const connect = statusOf(await raw(`CONNECT open.saltmarsh.example:443 HTTP/1.1\r\n${lines()}`));
    expect(connect).toBe(proxy === 'nginx' || isHttpd ? 400 : 405);
    const stream = await front.send({ what: '', host: [open], method: 'CONNECT', version: '2.0' });
    expect(['closed', 400, 405]).toContain(statusOf(stream));
    if (stream.kind === 'answer') expect(stream.body).not.toContain('HTTP/1.1');
    expect(statusOf(await front.send({ what: '', host: [open], method: 'get', version: '2.0' }))).not.toBe(200);
  });

  test('of headers that stand once the first line counts and passes, cookies become one line, and odd names stay here', async () => {
    const headers = await seenOf({
      headers: [
        ['Origin', 'https://one.example'],
        ['Origin', 'https://two.example'],
        ['Cookie', 'a=1'],
        ['Cookie', 'b=2'],
        ['X.Forwarded.For', '127.0.0.1'],
        // See `expectations` of its differences.
        ...(isHttpd ? [] : [['Expect', 'the-tide'] as [string, string]]),
      ],
    });
    expect(headers).toMatchObject({ origin: 'https://one.example', cookie: isHttpd ? 'a=1, b=2' : 'a=1; b=2' });
    expect(Object.keys(headers ?? {}).filter((name) => /\./.test(name) || name === 'expect')).toEqual([]);
  });

  test('what belongs to one connection goes no further, either way', async () => {
    const ours = ['proxy-connection', 'trailer', 'http2-settings', 'te', 'keep-alive', 'upgrade'];
    const headers = await seenOf({
      headers: ours.map((name): [string, string] => [name, name === 'te' ? 'trailers' : 'x']),
    });
    expect(Object.keys(headers ?? {}).filter((name) => ours.includes(name))).toEqual([]);
    const said = [...ours, 'x-accel-redirect', 'x-accel-expires'].map((name) => [
      name,
      name === 'upgrade' ? 'h2c' : '/x',
    ]);
    const back = await front.send({ what: '', host: [open], headers: [['X-Say', JSON.stringify(said)]] });
    if (back.kind !== 'answer') throw new Error(back.kind);
    expect([back.status, Object.keys(back.headers).filter((name) => said.some(([one]) => one === name))]).toEqual([
      200,
      [],
    ]);
  });

  test('a POST without a body goes on without a length', async () => {
    const headers = await seenOf({ method: 'POST' });
    expect(headers).toBeDefined();
    expect([headers?.['content-length'], headers?.['transfer-encoding']]).toEqual([undefined, undefined]);
  });

  test.each<[string, Partial<Row>]>([
    [
      'POST',
      {
        method: 'POST',
        headers: [
          ['Connection', 'Upgrade'],
          ['Upgrade', 'websocket'],
        ],
      },
    ],
    [
      'HEAD',
      {
        method: 'HEAD',
        headers: [
          ['Connection', 'Upgrade'],
          ['Upgrade', 'websocket'],
        ],
      },
    ],
    [
      'another word for it in `Connection`',
      {
        headers: [
          ['Connection', 'close'],
          ['Upgrade', 'websocket'],
        ],
      },
    ],
  ])(
    'a WebSocket that is not asked for properly is a plain request: %s',
    async (what, { method = 'GET', headers = [] }) => {
      for (const echo of front.echoes) echo.seen.length = 0;
      await raw(
        `${method} / HTTP/1.1\r\nHost: ${open}\r\n${headers.map((pair) => `${pair.join(': ')}\r\n`).join('')}\r\n`,
        {
          until: '\r\n\r\n',
        },
      );
      const [seen] = front.echoes.flatMap((echo) => echo.seen);
      // See `odd-websocket` of its differences.
      const isRefused = proxy === 'haproxy' && ['POST', 'HEAD'].includes(what);
      expect([seen?.method, seen?.headers['upgrade']]).toEqual([isRefused ? undefined : method, undefined]);
    },
  );

  testRate('visitors of one /64 share a rate, and the next one has its own', async () => {
    const from = async (address: string): Promise<number | string> =>
      statusOf(
        await raw(
          `GET / HTTP/1.1\r\nHost: few.saltmarsh.example\r\nX-Forwarded-For: ${address}\r\nConnection: close\r\n\r\n`,
          { sni: 'few.saltmarsh.example', from: '127.0.0.7' },
        ),
      );
    const statuses = [];
    for (const address of [
      '2001:db8::1',
      '2001:db8::2:0:0:1',
      '2001:db8::3',
      '2001:db8:0:1::1',
      '::ffff:203.0.113.9',
      '203.0.113.9',
      '203.0.113.9',
      '203.0.113.10',
    ])
      statuses.push(await from(address));
    expect(statuses).toEqual([200, 200, 429, 200, 200, 200, 429, 200]);
  });

  const kinds: ReadonlyArray<[string, string, string]> = [
    ['a request that may be repeated', 'GET', ''],
    ['one that may not', 'POST', 'Content-Length: 0\r\n'],
    [
      'a WebSocket',
      'GET',
      'Connection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: c2FsdG1hcnNoIHBsb3Zlcg==\r\n',
    ],
  ];

  testRate.each(kinds)('a gate keeps out %s, and a rate counts it once', async (what, method, more) => {
    const ask = async (road: string, from: string): Promise<number | string> =>
      statusOf(
        await raw(`${method} / HTTP/1.1\r\nHost: ${road}.saltmarsh.example\r\n${more}\r\n`, {
          sni: `${road}.saltmarsh.example`,
          from,
          until: '\r\n\r\n',
        }),
      );
    for (const echo of front.echoes) echo.seen.length = 0;
    expect(await ask('guarded', '127.0.0.3')).toBe(401);
    const client = `127.0.0.${String(20 + kinds.findIndex(([one]) => one === what))}`;
    const statuses = [];
    for (let times = 0; times < 4; times += 1) statuses.push(await ask('scarce', client));
    expect(statuses.slice(2)).toEqual([429, 429]);
    expect(front.echoes.flatMap(({ seen }) => seen).map((seen) => seen.method)).toEqual([method, method]);
  });

  test('what the map says of headers holds for a service with a name of its own', async () => {
    const back = await front.send({
      what: '',
      host: ['said.saltmarsh.example'],
      sni: 'said.saltmarsh.example',
      headers: [['X-Say', JSON.stringify([['X-Tide', 'low']])]],
    });
    if (back.kind !== 'answer') throw new Error(back.kind);
    expect(back.headers['x-tide']).toBe('high');
  });

  test('a WebSocket over HTTP/2 (RFC 8441) opens nothing', async () => {
    for (const echo of front.echoes) echo.seen.length = 0;
    const socket = tls.connect({
      port: front.ports.https,
      host: '127.0.0.1',
      servername: open,
      ALPNProtocols: ['h2'],
      rejectUnauthorized: false,
    });
    await once(socket, 'secureConnect');
    const answered = new Promise<number>((resolve) => {
      let bytes = Buffer.alloc(0);
      socket.on('close', () => resolve(7));
      socket.on('error', () => undefined);
      socket.on('data', (chunk: Buffer) => {
        bytes = Buffer.concat([bytes, chunk]);
        // Of each frame its type: an answer, a reset of the stream, or a good-bye.
        for (let at = 0; at + 9 <= bytes.length; at += 9 + bytes.readUIntBE(at, 3))
          if ([1, 3, 7].includes(bytes[at + 3] ?? 0)) resolve(bytes[at + 3] ?? 0);
      });
    });
    const said = {
      ':method': 'CONNECT',
      ':protocol': 'websocket',
      ':scheme': 'https',
      ':path': '/',
      ':authority': open,
    };
    socket.write(Buffer.concat([preface, headersFrame(said)]));
    await answered;
    socket.destroy();
    expect(front.echoes.flatMap(({ seen }) => seen)).toEqual([]);
  });

  test.each([
    ['a TAB within the target', `GET /a\tb HTTP/1.1\r\n${'HOST'}\r\n\r\n`],
    ['NUL in the value of a header', `GET / HTTP/1.1\r\n${'HOST'}\r\nX-Tide: a\u0000b\r\n\r\n`],
    ['NUL in the name of a header', `GET / HTTP/1.1\r\n${'HOST'}\r\nX-Ti\u0000de: a\r\n\r\n`],
  ])('%s reaches no service', async (_, text) => {
    for (const echo of front.echoes) echo.seen.length = 0;
    const outcome = await raw(text.replace('HOST', `Host: ${open}\r\nConnection: close`));
    expect(outcome.kind === 'closed' || (outcome.kind === 'answer' && outcome.status >= 400)).toBe(true);
    expect(front.echoes.flatMap(({ seen }) => seen)).toEqual([]);
  });

  test.each([
    ['204 with a body', 'HTTP/1.1 204 No Content\r\nContent-Length: 4\r\nX-Tide: low\r\n\r\nhigh', '', 204],
    ['204 with a body of no length', 'HTTP/1.1 204 No Content\r\nX-Tide: low\r\n\r\nhigh', '', 204],
    ['304 with a body', 'HTTP/1.1 304 Not Modified\r\nX-Tide: low\r\n\r\nhigh', '', 304],
    [
      'more than it announced',
      'HTTP/1.1 200 OK\r\nContent-Length: 3\r\nX-Tide: low\r\n\r\nlowHTTP/1.1 200 OK\r\n\r\n',
      'low',
      200,
    ],
    ['a second answer', 'HTTP/1.1 200 OK\r\nContent-Length: 3\r\nX-Tide: low\r\n\r\nlowgarbage', 'low', 200],
  ])(
    'a service that says too much, %s: the visitor gets the answer, and nothing of the rest',
    async (_, words, body, status) => {
      rudeWords = words;
      for (const version of ['1.1', '2.0'] as const) {
        const outcome = await front.send({
          what: '',
          host: ['rude.saltmarsh.example'],
          sni: 'rude.saltmarsh.example',
          version,
        });
        expect(
          outcome.kind === 'answer' ? [outcome.status, outcome.body, outcome.headers['x-tide']] : outcome.kind,
        ).toEqual([status, body, 'low']);
      }
      rudeWords = '220 tide tables\r\n';
    },
  );

  test('NUL in an answer of a service reaches no visitor', async () => {
    rudeWords = 'HTTP/1.1 200 OK\r\nX-Tide: lo\u0000w\r\nContent-Length: 2\r\n\r\nok';
    const outcome = await front.send({ what: '', host: ['rude.saltmarsh.example'], sni: 'rude.saltmarsh.example' });
    rudeWords = '220 tide tables\r\n';
    expect(outcome.kind === 'answer' ? [outcome.status, outcome.headers['x-tide']] : outcome.kind).toEqual([
      502,
      undefined,
    ]);
  });

  describe('what docs/design/README.md declares to differ', () => {
    const own = <T>(builtin: T, nginx: T, haproxy = nginx, httpd = nginx): T =>
      ({ builtin, nginx, httpd, haproxy })[proxy];

    const toRude = { what: '', host: ['rude.saltmarsh.example'], sni: 'rude.saltmarsh.example' };

    test('a service whose first bytes are no HTTP', async () => {
      // 0: what came has no status line.
      expect(statusOf(await front.send(toRude))).toBe(own(502, 0, 502, 200));
    });

    test('headers that `Connection` names', async () => {
      const headers = await seenOf({
        headers: [
          ['Connection', 'close, x-tide'],
          ['X-Tide', 'low'],
        ],
      });
      expect(headers?.['x-tide'] ?? 'gone').toBe(own('gone', 'low', 'low', 'gone'));
    });

    test('control characters in the value of a header', async () => {
      heard = '';
      const outcome = await front.send({ ...toRude, headers: [['X-Tide', 'a\u0001b']] });
      expect([statusOf(outcome), /X-Tide: a\u0001b/i.test(heard)]).toEqual(
        own([400, false], [0, true], [502, true], [400, false]),
      );
    });

    test('an edge behind more than three others', async () => {
      const behind = (count: number): Partial<Row> => ({
        from: '127.0.0.7',
        headers: [['X-Forwarded-For', ['127.0.0.3', ...Array<string>(count).fill('127.0.0.7')].join(', ')]],
      });
      expect((await seenOf(behind(3)))?.['x-real-ip']).toBe('127.0.0.3');
      expect((await seenOf(behind(4)))?.['x-real-ip']).toBe(own('127.0.0.3', '127.0.0.3', 'unknown', '127.0.0.3'));
    });

    test('a TAB for a blank in the request line', async () => {
      const targets = [];
      for (const line of ['GET\t/ HTTP/1.1', 'GET /\tHTTP/1.1']) {
        for (const echo of front.echoes) echo.seen.length = 0;
        await raw(`${line}\r\nHost: ${open}\r\nConnection: close\r\n\r\n`);
        targets.push(...front.echoes.flatMap(({ seen }) => seen.map(({ method, target }) => `${method} ${target}`)));
      }
      expect(targets).toEqual(own<string[]>([], [], ['GET /', 'GET /'], []));
    });

    test('a service that changes the protocol though nobody asked for it', async () => {
      rudeWords = 'HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: tide/1\r\n\r\nlow';
      const statuses = [];
      for (const headers of [
        [],
        [
          ['Upgrade', 'tide/1'],
          ['Connection', 'Upgrade'],
        ],
      ] as Array<Array<[string, string]>>)
        statuses.push(statusOf(await front.send({ ...toRude, headers })));
      rudeWords = '220 tide tables\r\n';
      expect(statuses).toEqual(own([502, 502], [101, 101], [502, 502], [502, 502]));
    });
  });

  test('credentials longer than any honest ones are not tried, nor those with more behind their end', async () => {
    const get = async (value: string): Promise<number | string> =>
      statusOf(
        await raw(
          `GET / HTTP/1.1\r\nHost: guarded.saltmarsh.example\r\nAuthorization: ${value}\r\nConnection: close\r\n\r\n`,
          {
            sni: 'guarded.saltmarsh.example',
          },
        ),
      );
    const long = basic(`lena:${longest}`);
    expect(await get(long)).toBe(200);
    expect(await get(basic(`bram:${longest}pp`))).toBe(401);
    expect(await get(`${long}=junk`)).toBe(401);
  });
});
