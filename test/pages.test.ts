import { proxyNames } from '../src/core/proxies/names.ts';
import { chmodSync } from 'node:fs';
import http from 'node:http';
import https from 'node:https';
import { programOf } from '../src/core/proxies/programs.ts';
import { startFront, type ProxyName, type RunningFront } from './support/fronts.ts';
import { listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Pages of one's own in place of the front's plain words, on every proxy. */

/** With much that means something in one configuration or another, and too long for one word of any. */
const odd = Array.from(
  { length: 40 },
  (_, index) => `"$host" \${tide} %{x}i %[src] \\1 'q' {} ; # 𝄞${'é\\'.repeat(index * 3)}\r\n\t`,
);
const page = (words: string): string =>
  `<!doctype html>\n<title>${words}</title>\n<p>${words} – salt marsh\n${odd.join('')}`;
const pages = {
  paused: page('back soon'),
  down: page('the tide is in'),
  refused: page('wardens only'),
  unknown: page('nothing here'),
};

interface Got {
  status: number | undefined;
  type: string | undefined;
  frames: string | undefined;
  body: string;
}

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  let front: RunningFront;
  let folder: string;
  let service: http.Server;
  let at: { http: number; https: number };

  beforeAll(async () => {
    service = await listening(
      http.createServer((request, response) => {
        request.resume();
        response.writeHead(Number(request.url?.slice(1)) || 200).end('of the service');
      }),
      0,
    );
    const to = `":${String(portOf(service))}"`;
    const { head, ...ports } = await practiceHead(proxy, '  unknown: not-found\n');
    at = ports;
    const shown = programOf(proxy).limits.folders ? '  site: {folder: ./site, gate: [marsh, far]}\n' : '';
    folder = folderWith({
      'mile-marker.yaml': `${head}certificates: {marsh: {names: saltmarsh.example, wildcard: true}}
gates: {far: {networks: 198.51.100.0/24}, marsh: {networks: 127.0.0.0/8, except: [/open/]}}
pages: {paused: p/paused.html, down: p/down.html, refused: p/refused.html, unknown: p/unknown.html}
roads:
  saltmarsh.example: {to: ${to}, gate: everyone, plain: true}
  off: {to: ${to}, gate: everyone, paused: true}
  dead: {to: ":9", gate: everyone}
  far: {to: ${to}, gate: far}
  both: {to: ${to}, gate: [marsh, far]}
  parts: {to: ${to}, gate: everyone, paths: {/dead: ":9"}}
${shown}`,
      ...Object.fromEntries(Object.entries(pages).map(([kind, text]) => [`p/${kind}.html`, text])),
      'site/index.html': 'the marsh',
    });
    // Folders are read as whom the front serves as.
    chmodSync(folder, 0o755);
    front = await startFront(folder, proxy);
  });

  afterAll(async () => {
    await front.stop();
    service.close();
    service.closeAllConnections();
  });

  const get = (name: string, target = '/', { method = 'GET', plain = false } = {}): Promise<Got> =>
    new Promise((resolve, reject) => {
      const host = `${name}.saltmarsh.example`.replace(/^\./, '');
      const options = { host: '127.0.0.1', path: target, method, agent: false, headers: { host } };
      const done = (response: http.IncomingMessage): void => {
        let body = '';
        response.setEncoding('utf8').on('data', (text: string) => (body += text));
        response.once('end', () => {
          const { 'content-type': type, 'x-frame-options': frames } = response.headers;
          resolve({ status: response.statusCode, type, frames: frames as string | undefined, body });
        });
      };
      const request = plain
        ? http.request({ ...options, port: at.http }, done)
        : https.request({ ...options, port: at.https, servername: host, rejectUnauthorized: false }, done);
      request.once('error', reject).end(method === 'POST' ? 'tide=high' : undefined);
    });
  const html = 'text/html; charset=utf-8';

  test('each stands where it is meant to, with the status and the headers of its road', async () => {
    const seen = await Promise.all([get('off'), get('dead'), get('far'), get('both'), get('parts', '/dead/x')]);
    const frames = seen[0]?.frames;
    expect(frames).not.toBe(undefined);
    expect(seen).toEqual([
      { status: 503, type: html, frames, body: pages.paused },
      { status: 502, type: html, frames, body: pages.down },
      ...[403, 403].map((status) => ({ status, type: html, frames, body: pages.refused })),
      { status: 502, type: html, frames, body: pages.down },
    ]);
    if (programOf(proxy).limits.folders)
      expect(await get('site')).toEqual({ status: 403, type: html, frames, body: pages.refused });
  });

  test('a name that is not on the map, over HTTPS and over plain HTTP, and the bare address', async () => {
    const [secure, plain] = [await get('nobody'), await get('nobody', '/', { plain: true })];
    expect([secure, plain]).toMatchObject(Array(2).fill({ status: 404, type: html, body: pages.unknown }));
    const bare = await fetch(`http://127.0.0.1:${String(at.http)}/any`);
    expect([bare.status, await bare.text()]).toEqual([404, pages.unknown]);
  });

  test('for HEAD the head alone, and the page for POST too', async () => {
    expect(await get('off', '/', { method: 'HEAD' })).toMatchObject({ status: 503, body: '' });
    const posted = await Promise.all(['off', 'dead', 'far'].map((name) => get(name, '/x', { method: 'POST' })));
    expect(posted.map(({ status, body }) => [status, body])).toEqual([
      [503, pages.paused],
      [502, pages.down],
      [403, pages.refused],
    ]);
  });

  test('what a service says of these statuses is its own, and no target leads to a page', async () => {
    const said = await Promise.all(['/403', '/404', '/502', '/503', '/504'].map((target) => get('', target)));
    expect(said.map(({ status, body }) => `${String(status)} ${body}`)).toEqual(
      [403, 404, 502, 503, 504].map((status) => `${String(status)} of the service`),
    );
    const own = [
      '/200?/../mile-marker-down',
      '/.mile-marker/refused',
      '/pages/paused.html',
      '/%2e%2e/mile-marker-paused',
    ];
    for (const { body } of await Promise.all(own.map((target) => get('far', target))))
      expect(body).not.toBe(pages.paused);
    for (const target of ['/../mile-marker-refused', '/a/../../mile-marker-refused'])
      expect((await get('', target)).status).toBe(400);
  });

  test('verify knows them for the front’s own', async () => {
    const { out } = await mileMarker(
      ['verify', 'dead', 'far', 'off', '--at', `127.0.0.1:${String(at.https)}`, '--json'],
      folder,
    );
    const { roads } = JSON.parse(out) as { roads: Array<{ legs: Record<string, { outcome: string; kind: string }> }> };
    const kinds = roads.map(({ legs }) => [legs['access']?.kind, legs['service']?.kind]);
    expect(kinds).toEqual([
      ['no-gate', 'down'],
      ['refused', 'behind-gate'],
      ['no-gate', 'paused'],
    ]);
  });
});

test.each([
  ['that is not there', {}, 'it does not exist'],
  ['that is empty', { 'p.html': ' \n' }, 'it is empty'],
  ['that is too long', { 'p.html': 'tide '.repeat(10_000) }, 'it has 49 KiB, and a page may have 30 KiB'],
])('check tells of a page %s', async (_, files, why) => {
  const { head } = await practiceHead();
  const map = `${head}pages: {down: p.html, unknown: q.html}\nroads: {www: {redirect: "https://www.example.org", gate: everyone}}\n`;
  const folder = folderWith({ 'mile-marker.yaml': map, 'q.html': 'here', ...files } as Record<string, string>);
  const { out } = await mileMarker(['check', '--json'], folder);
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; message: string; severity: string }> };
  const told = findings
    .filter(({ rule }) => rule === 'page-not-shown')
    .map(({ severity, message }) => `${severity}: ${message}`);
  expect(told.sort()).toEqual([
    `error: \`pages.down\` names p.html, which cannot be shown: ${why}.`,
    expect.stringContaining('warning: `pages.unknown` is never shown'),
  ]);
});
