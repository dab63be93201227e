import { proxyNames } from '../src/core/proxies/names.ts';
import { programOf } from '../src/core/proxies/programs.ts';
import { createHash, X509Certificate } from 'node:crypto';
import { copyFileSync, existsSync, readFileSync, realpathSync } from 'node:fs';
import https from 'node:https';
import { join } from 'node:path';
import tls from 'node:tls';
import type { ProxyName } from './support/fronts.ts';
import { HeldFront, type MapText, type Row } from './support/held-against-verdict.ts';
import { listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { readings, startLax, targetsIn, type LaxService } from './support/lax-service.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';
import type { Outcome } from '../src/core/rehearsal/sent.ts';

/** What a front keeps whatever the map says, and what is tried against it; docs/security.md lists it. */

const near = '127.0.0.2';
const far = '127.0.0.3';
const open = 'open.saltmarsh.example';
const gated = 'gated.saltmarsh.example';
const moved = 'moved.saltmarsh.example';

interface Station {
  port: number;
  authority: string;
  pin: string;
  hosts: string[];
  stop: () => void;
}

/** A service behind HTTPS whose certificate an authority of its own signed, for station.saltmarsh.example. */
async function startStation(): Promise<Station> {
  const name = 'station.saltmarsh.example';
  const folder = folderWith({
    'mile-marker.yaml': 'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nroads: {station: ":1"}\n',
  });
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  const own = realpathSync(join(folder, '.mile-marker/certificates', name, 'current'));
  const [cert, key] = ['certificate.pem', 'key.pem'].map((file) => readFileSync(join(own, file)));
  const hosts: string[] = [];
  const server = https.createServer({ cert, key }, (request, response) => {
    hosts.push(request.headers.host ?? '');
    response.end('station');
  });
  await listening(server, 0);
  const spki = new X509Certificate(cert ?? '').publicKey.export({ type: 'spki', format: 'der' });
  return {
    port: portOf(server),
    authority: join(folder, '.mile-marker/practice/authority.pem'),
    pin: createHash('sha256').update(spki).digest('base64'),
    hosts,
    stop: () => {
      server.close();
      server.closeAllConnections();
    },
  };
}

/** What not every proxy has, which `check` says; see `differences`. */
const alone = (nestcam: string): string =>
  `  noted: {to: ":${nestcam}", gate: everyone, log: logs/noted.log}\n  site: {folder: ./site, gate: everyone}\n`;

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  const { limits } = programOf(proxy);
  let station: Station;
  let front: HeldFront;
  let lax: LaxService;

  const mapText: MapText = ({ ports, echoes }) => {
    const [birdLog, nestcam, roster] = echoes.map(({ port }) => String(port));
    const at = `https://127.0.0.1:${String(station.port)}`;
    const pins =
      proxy === 'builtin'
        ? `  pinned: {to: "${at}", gate: everyone, upstream-pin: ${station.pin}}\n  mispinned: {to: "${at}", gate: everyone, upstream-pin: ${'A'.repeat(43)}=}\n`
        : '';
    return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${near}/32]
gates: {wardens: {people: w}}
roads:
  open: {to: ":${birdLog ?? ''}", gate: everyone}
  gated: {to: ":${roster ?? ''}"}
  moved: {redirect: "https://open.saltmarsh.example/new", gate: everyone}
${limits.folders ? alone(nestcam ?? '') : ''}  few: {to: ":${nestcam ?? ''}", gate: everyone${limits.rate ? ', rate: 1/m burst 4' : ''}}
  guarded: {to: ":${nestcam ?? ''}", gate: wardens${limits.rate ? ', rate: 1/m burst 1' : ''}}
  proven: {to: "${at}", gate: everyone, upstream-ca: ca.pem, upstream-host: station.saltmarsh.example}
  misnamed: {to: "${at}", gate: everyone, upstream-ca: ca.pem, upstream-host: other.saltmarsh.example}
  unknown: {to: "${at}", gate: everyone, upstream-host: station.saltmarsh.example}
  believed: {to: "${at}", gate: everyone, upstream-insecure: true}
  lax: {to: ":${String(portOf(lax.server))}", gate: everyone}
${pins}`;
  };

  beforeAll(async () => {
    station = await startStation();
    lax = await startLax();
    const files = {
      w: 'edda:$2y$05$abcdefghijklmnopqrstuuabcdefghijklmnopqrstuvwxyzABCDE\n',
      'ca.pem': readFileSync(station.authority, 'utf8'),
    };
    front = await HeldFront.start(proxy, mapText, { ...files, 'site/index.html': 'high water' });
  });
  afterAll(async () => {
    await front.stop();
    station.stop();
    lax.server.close();
  });

  const raw = (text: string, { sni = open, from = far, plain = false, idleMs = 5000 } = {}): Promise<Outcome> =>
    sendRaw({
      port: plain ? front.ports.http : front.ports.https,
      text,
      from,
      idleMs,
      ...(plain ? {} : { tls: { servername: sni } }),
    });
  const get = (name: string, more = '', from = far): Promise<Outcome> =>
    raw(`GET / HTTP/1.1\r\nHost: ${name}.saltmarsh.example\r\n${more}Connection: close\r\n\r\n`, {
      sni: `${name}.saltmarsh.example`,
      from,
    });
  const statusOf = (outcome: Outcome): number | string => (outcome.kind === 'answer' ? outcome.status : outcome.kind);

  test('a service behind HTTPS must prove who it is, and gets the Host that the map says', async () => {
    const roads: Array<[string, number]> = [
      ['proven', 200],
      ['misnamed', 502],
      ['unknown', 502],
      ['believed', 200],
    ];
    if (proxy === 'builtin') roads.push(['pinned', 200], ['mispinned', 502]);
    const got: Array<[string, number | string]> = [];
    for (const [name] of roads) got.push([name, statusOf(await get(name))]);
    expect(got).toEqual(roads);
    expect(station.hosts[0]).toBe('station.saltmarsh.example');
    // Nothing reached it but by the roads that proved it.
    expect(station.hosts).toHaveLength(roads.filter(([, status]) => status === 200).length);
  });

  const testRate = limits.rate ? test : test.failing;
  testRate(
    'one client gets its burst and no more, another is not held up, and no password is looked at above the rate',
    async () => {
      const many = async (name: string, from: string, more = ''): Promise<Array<number | string>> => {
        const statuses: Array<number | string> = [];
        for (let times = 0; times < 7; times += 1) statuses.push(statusOf(await get(name, more, from)));
        return statuses;
      };
      const held = [200, 200, 200, 200, 200, 429, 429];
      expect([await many('few', near), await many('few', far)]).toEqual([held, held]);
      const refused = await get('few');
      expect(refused.kind === 'answer' && refused.headers['retry-after']).toBe('60');
      const guess = `Authorization: Basic ${Buffer.from('edda:guess').toString('base64')}\r\n`;
      expect(await many('guarded', near, guess)).toEqual([401, 401, 429, 429, 429, 429, 429]);
    },
  );

  const shake = (options: tls.ConnectionOptions): Promise<string> =>
    new Promise((resolve) => {
      const socket = tls.connect(
        { host: '127.0.0.1', port: front.ports.https, servername: open, rejectUnauthorized: false, ...options },
        () => {
          resolve(`${socket.getProtocol() ?? ''} ${String(socket.alpnProtocol)} ${socket.getCipher().name}`);
          socket.destroy();
        },
      );
      socket.on('error', () => resolve('refused'));
    });

  test('TLS 1.2 is the floor, with modern suites alone, and HTTP/2 is offered', async () => {
    const old = { minVersion: 'TLSv1', ciphers: 'ALL:@SECLEVEL=0' } as const;
    expect(await shake({ ...old, maxVersion: 'TLSv1.1' })).toBe('refused');
    expect(await shake({ ...old, maxVersion: 'TLSv1' })).toBe('refused');
    expect(
      await shake({
        maxVersion: 'TLSv1.2',
        ciphers: 'ECDHE-ECDSA-AES128-SHA256:AES128-GCM-SHA256:AES128-SHA@SECLEVEL=0',
      }),
    ).toBe('refused');
    expect(await shake({ maxVersion: 'TLSv1.2', ALPNProtocols: ['h2', 'http/1.1'] })).toMatch(
      /^TLSv1\.2 h2 ECDHE-ECDSA-/,
    );
    expect(await shake({ ALPNProtocols: ['http/1.1'] })).toMatch(/^TLSv1\.3 http\/1\.1 TLS_/);
  });

  test('nothing that answers says more of itself than the name of its kind', async () => {
    for (const name of ['open', 'gated', 'moved']) {
      const outcome = await get(name, 'X-Say: [["Server","marshd/1.2.3"],["X-Powered-By","reeds"]]\r\n');
      expect(
        outcome.kind === 'answer' && [outcome.headers['server'] ?? 'none', outcome.headers['x-powered-by']],
      ).toEqual([{ builtin: 'none', nginx: 'nginx', httpd: 'Apache', haproxy: 'none' }[proxy], undefined]);
      expect(JSON.stringify(outcome)).not.toMatch(/\d+\.\d+\.\d+(?!\.\d)/);
    }
  });

  const testAlone = limits.folders ? test : test.failing;
  testAlone('a log has one line a request, and nobody writes a line of his own into it', async () => {
    const file = join(front.folder, 'logs/noted.log');
    const agent = 'a"b\\c\t\u00e9 127.0.0.1 - - [x] "GET /forged"';
    const host = 'Host: noted.saltmarsh.example\r\n';
    // Of a length that is known beforehand, so that no server puts marks between.
    const say = 'X-Say: [["Content-Length","16"]]\r\n';
    const text = `GET /x"y?z HTTP/1.1\r\n${host}${say}User-Agent: ${agent}\r\nConnection: close\r\n\r\n`;
    const outcome = await raw(text, { sni: 'noted.saltmarsh.example' });
    expect(outcome).toMatchObject({ body: 'this is nestcam\n' });
    for (let tries = 0; tries < 300 && !(existsSync(file) && readFileSync(file, 'utf8').endsWith('\n')); tries += 1)
      await new Promise((resolve) => setTimeout(resolve, 100));
    const agentWords = 'a\\x22b\\x5Cc\\x09\\xE9 127.0.0.1 - - [x] \\x22GET /forged\\x22';
    const line =
      /^127\.0\.0\.3 - - \[\d\d\/\w{3}\/\d{4}(:\d\d){3} [+]\d{4}\] "GET \/x\\x22y\?z HTTP\/1\.1" 200 (\d+) "-" ".*"\n$/;
    // httpd escapes as C does.
    const written = readFileSync(file, 'utf8')
      .replace(/\\"/g, '\\x22')
      .replace(/\\\\/g, '\\x5C')
      .replace(/\\t/g, '\\x09')
      .replace(/\\x[0-9a-f]{2}/g, (code) => `\\x${code.slice(2).toUpperCase()}`);
    expect(line.exec(written)?.[2]).toBe('16');
    expect(written).toContain(`"${agentWords}"\n`);
  });

  test('whatever header lines a service sends, the next request is answered', async () => {
    for (const said of [
      [
        ['content-type', 'a/b'],
        ['content-type', 'c/d'],
      ],
      [
        ['etag', '"1"'],
        ['etag', '"2"'],
      ],
      [
        ['location', '/x'],
        ['location', '/y'],
      ],
      [
        ['constructor', 'x'],
        ['toString', 'y'],
      ],
      [
        ['connection', 'x-y'],
        ['x-y', '1'],
      ],
      [
        ['keep-alive', 'timeout=5'],
        ['te', 'trailers'],
        ['upgrade', 'h2c'],
      ],
      [
        ['set-cookie', 'a=1'],
        ['set-cookie', 'b=2'],
      ],
    ]) {
      const row: Row = {
        what: 'odd',
        host: [open],
        from: far,
        version: '2.0',
        headers: [['X-Say', JSON.stringify(said)]],
      };
      const odd = await front.send(row);
      expect(odd.kind === 'closed' || statusOf(odd) === 200 || statusOf(odd) === 502).toBe(true);
      if (said[0]?.[0] === 'constructor') expect(odd.kind === 'answer' && odd.headers['constructor']).toBe('x');
      if (said[0]?.[0] === 'set-cookie') expect(odd.kind === 'answer' && odd.headers['set-cookie']).toBe('a=1, b=2');
      expect(statusOf(await front.send({ ...row, headers: [] }))).toBe(200);
    }
  });

  testAlone('a folder gives parts of a file and says when it has no such part', async () => {
    const part = (range: string): Promise<Outcome> => get('site', `Range: bytes=${range}\r\n`);
    const first = await part('0-3');
    expect(first).toMatchObject({ kind: 'answer', status: 206, body: 'high' });
    expect(first.kind === 'answer' && first.headers['content-range']).toBe('bytes 0-3/10');
    expect(statusOf(await part('50-60'))).toBe(416);
    const whole = await get('site');
    const tag = whole.kind === 'answer' ? whole.headers['etag'] : '';
    expect(statusOf(await get('site', `If-None-Match: ${tag ?? ''}\r\n`))).toBe(304);
  });

  const inner = `GET /smuggled HTTP/1.1\r\nHost: ${gated}\r\nX-Forwarded-For: ${near}\r\n\r\n`;
  const length = String(inner.length);
  test.each<[string, string]>([
    ['both lengths', `Content-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n${inner}`],
    ['both lengths, the other way', `Transfer-Encoding: chunked\r\nContent-Length: ${length}\r\n\r\n0\r\n\r\n${inner}`],
    ['two lengths', `Content-Length: 0\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a list of lengths', `Content-Length: 0, ${length}\r\n\r\n${inner}`],
    ['a length with a sign', `Content-Length: +${length}\r\n\r\n${inner}`],
    ['a negative length', `Content-Length: -1\r\n\r\n${inner}`],
    ['a length in hexadecimal', `Content-Length: 0x0\r\n\r\n${inner}`],
    ['a blank before the colon', `Transfer-Encoding : chunked\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a coding that is none', `Transfer-Encoding: xchunked\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['chunked twice', `Transfer-Encoding: chunked\r\nTransfer-Encoding: identity\r\n\r\n0\r\n\r\n${inner}`],
    ['chunked not last', `Transfer-Encoding: chunked, identity\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['chunked behind a tab', `Transfer-Encoding:\tchunked\r\nContent-Length: ${length}\r\n\r\n0\r\n\r\n${inner}`],
    ['a folded header', `X-A: b\r\n Transfer-Encoding: chunked\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a line end alone', `X-A: b\nTransfer-Encoding: chunked\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a return alone', `X-A: b\rTransfer-Encoding: chunked\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a NUL in a header', `X-A: b\u0000\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    ['a chunk size that overflows', `Transfer-Encoding: chunked\r\n\r\nFFFFFFFFFFFFFFFF1\r\n${inner}`],
    ['a chunk size with a sign', `Transfer-Encoding: chunked\r\n\r\n-1\r\n${inner}`],
    ['a chunk without its end', `Transfer-Encoding: chunked\r\n\r\n1\r\nab\r\n0\r\n\r\n${inner}`],
    ['a length that Connection names', `Connection: content-length\r\nContent-Length: ${length}\r\n\r\n${inner}`],
    [
      'an upgrade to HTTP/2',
      `Connection: Upgrade, HTTP2-Settings\r\nUpgrade: h2c\r\nHTTP2-Settings: AAMAAABkAAQCAAAAAAIAAAAA\r\n\r\n${inner}`,
    ],
    ['a plain second request', `Content-Length: 0\r\n\r\n${inner}`],
  ])('smuggling by %s: no service sees the second request, however it reads', async (_, rest) => {
    for (const echo of front.echoes) echo.seen.length = 0;
    lax.heard.length = 0;
    // Some leave the front waiting for more of a request, rightly.
    await Promise.all(
      ['POST', 'GET'].flatMap((method) =>
        [open, 'lax.saltmarsh.example'].map((host) =>
          raw(`${method} / HTTP/1.1\r\nHost: ${host}\r\n${rest}`, { sni: host, idleMs: 500 }),
        ),
      ),
    );
    for (const { seen } of front.echoes) expect(seen.map(({ target }) => target)).not.toContain('/smuggled');
    for (const reading of readings)
      for (const bytes of lax.heard) expect([reading.name, ...targetsIn(bytes(), reading)]).not.toContain('/smuggled');
  });

  test('that service would have been deceived', () => {
    const deceiving = `POST / HTTP/1.1\r\nHost: a\r\nTransfer-Encoding : chunked\r\nContent-Length: ${length}\r\n\r\n0\r\n\r\n${inner}`;
    const seen = readings.map((reading) => targetsIn(deceiving, reading).includes('/smuggled'));
    expect([seen.includes(true), seen.includes(false)]).toEqual([true, true]);
  });

  test.each<[string, string, string?]>([
    ['Host of the gated road under the name of an open one', `GET / HTTP/1.1\r\nHost: ${gated}\r\n`],
    ['absolute form of the gated road', `GET https://${gated}/ HTTP/1.1\r\nHost: ${open}\r\n`],
    ['absolute form of an open one, Host of the gated', `GET https://${open}/ HTTP/1.1\r\nHost: ${gated}\r\n`],
    ['two Hosts', `GET / HTTP/1.1\r\nHost: ${open}\r\nHost: ${gated}\r\n`],
    ['a Host with a user', `GET / HTTP/1.1\r\nHost: ${open}@${gated}\r\n`],
    ['a Host with a blank', `GET / HTTP/1.1\r\nHost: ${gated} ${open}\r\n`],
    ['a forged X-Forwarded-For', `GET / HTTP/1.1\r\nHost: ${gated}\r\nX-Forwarded-For: ${near}\r\n`, gated],
    [
      'a forged Forwarded',
      `GET / HTTP/1.1\r\nHost: ${gated}\r\nForwarded: for=${near}\r\nX-Real-IP: ${near}\r\nTrue-Client-IP: ${near}\r\n`,
      gated,
    ],
    [
      'a forged X-Forwarded-Host',
      `GET / HTTP/1.1\r\nHost: ${gated}\r\nX-Forwarded-Host: ${open}\r\nX-Original-URL: /\r\n`,
      gated,
    ],
    [
      'an upgrade',
      `GET / HTTP/1.1\r\nHost: ${gated}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Key: c2FsdG1hcnNoIHBsb3Zlcg==\r\nSec-WebSocket-Version: 13\r\n`,
      gated,
    ],
    ['HTTP/1.0 without Host', 'GET / HTTP/1.0\r\n', gated],
    ['another method', `PROPFIND / HTTP/1.1\r\nHost: ${gated}\r\n`, gated],
    ['a very long head', `GET / HTTP/1.1\r\nHost: ${gated}\r\nX-A: ${'a'.repeat(70_000)}\r\n`, gated],
    ['very many headers', `GET / HTTP/1.1\r\nHost: ${gated}\r\n${'X-A: b\r\n'.repeat(5000)}`, gated],
  ])('no way past the gate by %s', async (_, head, sni = open) => {
    for (const echo of front.echoes) echo.seen.length = 0;
    const outcome = await raw(`${head}Connection: close\r\n\r\n`, { sni });
    const [, , roster] = front.echoes;
    expect(roster?.seen).toEqual([]);
    expect(outcome).not.toMatchObject({ headers: { 'x-echo': 'roster' } });
  });

  test.each([
    '//evil.example',
    '/\\evil.example',
    '/%0d%0aSet-Cookie:%20evil=1',
    '/%0aX-Evil:1',
    '/..//evil.example',
    '/%5c%5cevil.example',
    '@evil.example',
    '.evil.example',
    ':80@evil.example/',
    '/\tevil',
    '/?\r\n',
    'https://evil.example/',
    '//evil.example/%2f..',
  ])('a redirect stays a redirect: %j', async (target) => {
    for (const [plain, host, start] of [
      [true, open, `https://${open}:${String(front.ports.https)}/`],
      [false, moved, `https://${open}:${String(front.ports.https)}/new/`],
    ] as const) {
      const outcome = await raw(`GET ${target} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`, {
        sni: host,
        plain,
      });
      if (outcome.kind !== 'answer') continue;
      expect([outcome.headers['set-cookie'], outcome.headers['x-evil']]).toEqual([undefined, undefined]);
      if (outcome.status < 400) expect(outcome.headers['location']?.startsWith(start)).toBe(true);
    }
  });

  test('what the map names is not to be had by asking for the front itself', async () => {
    copyFileSync(join(front.folder, 'mile-marker.yaml'), join(front.folder, 'copy'));
    for (const target of [
      '/mark',
      '/.mile-marker/',
      '/server-status',
      '/nginx_status',
      '/.well-known/acme-challenge/',
      '/w',
    ]) {
      const outcome = await raw(`GET ${target} HTTP/1.1\r\nHost: ${open}\r\nConnection: close\r\n\r\n`);
      expect([target, statusOf(outcome), outcome.kind === 'answer' && outcome.headers['x-echo']]).toEqual([
        target,
        200,
        'bird-log',
      ]);
    }
  });
});
