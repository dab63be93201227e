import { chmodSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import bcrypt from 'bcryptjs';
import { WebSocketServer } from 'ws';
import { passTo, startFaultyFront } from './support/faulty-front.ts';
import { proxyNames } from '../src/core/proxies/names.ts';
import { programOf } from '../src/core/proxies/programs.ts';
import { startFront, type ProxyName } from './support/fronts.ts';
import { listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** What verify does at gates and for strangers. The faults that it finds there are rows of test/faults/. */

interface Report {
  roads: Array<{ name: string; legs: Record<string, { outcome: string; says: string }> }>;
  findings: Array<{ rule: string; leg: string; roads: string[]; message: string; severity: string }>;
}
const read = ({ out }: Ran): Report => JSON.parse(out) as Report;
const full = (name: string): string => `${name}.saltmarsh.example`;

const page: http.RequestListener = (request, response) => {
  const items = Array.from({ length: 12 }, (_, index) => `<li>bird ${String(index)}`).join('');
  response.writeHead(200, { 'content-type': 'text/html' });
  response.end(`<html><title>Bird log</title><p>kept for ${request.headers.host ?? ''}</p><ul>${items}</ul></html>`);
};

async function service(): Promise<http.Server> {
  const server = await listening(http.createServer(page), 0);
  const live = new WebSocketServer({ server, path: '/live' });
  live.on('connection', (socket) => socket.on('message', (data) => socket.send(data)));
  return server;
}

const refuse =
  (status: 401 | 403): http.RequestListener =>
  (_, response) => {
    const reason = status === 401 ? 'Authorization Required' : 'Forbidden';
    response.writeHead(status, {
      server: 'nginx',
      ...(status === 401 ? { 'www-authenticate': 'Basic realm="x"' } : {}),
    });
    response.end(
      `<html>\r\n<head><title>${reason}</title></head>\r\n<body>\r\n<center><h1>${reason}</h1></center>\r\n<hr><center>nginx</center>\r\n</body>\r\n</html>\r\n`,
    );
  };

test('one wrong password is tried in a run, whatever gates there are; a login file is for its owner alone, and for the front alone', async () => {
  const birdLog = await service();
  const passwords: string[] = [];
  const asks: http.RequestListener = (request, response) => {
    if (request.headers.authorization !== undefined) passwords.push(request.headers.authorization);
    refuse(401)(request, response);
  };
  const front = await startFaultyFront({ one: { https: asks }, two: { https: asks } });
  const to = `":${String(portOf(birdLog))}"`;
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(front.httpPort)}, https: ${String(front.httpsPort)}}}\ngates: {wardens: {people: w}}\nroads:\n  one: {to: ${to}, gate: wardens}\n  two: {to: ${to}, gate: wardens}\n`,
    'ca.pem': front.authority.certificate,
    login: 'edda:tern over the spit\n',
  });
  const argv = ['verify', '--at', '127.0.0.1', '--trust', 'ca.pem', '--json'];
  const { findings } = read(await mileMarker(argv, folder));
  expect([findings.map(({ rule }) => rule), passwords.length]).toEqual([['not-tested-behind-gate'], 1]);
  const open = await mileMarker([...argv, '--login', 'login'], folder);
  const words = 'can be read by others on this machine (mode 644)';
  expect([open.code, open.err]).toEqual([2, expect.stringContaining(words)]);
  // Whoever cannot prove to be the front gets no password, and nothing is tried on them.
  chmodSync(join(folder, 'login'), 0o600);
  const stranger = read(await mileMarker(['verify', '--at', '127.0.0.1', '--json', '--login', 'login'], folder));
  expect([stranger.findings.map(({ rule }) => rule), passwords.length]).toEqual([['certificate-untrusted'], 1]);
  front.stop();
  birdLog.close();
});

test.each<ProxyName>(['builtin', 'nginx'])(
  '%s: gates, a login and a live connection that are as the map says',
  async (proxy) => {
    const birdLog = await service();
    const to = `":${String(portOf(birdLog))}"`;
    const { head } = await practiceHead(proxy, '  home-networks: [127.0.0.0/8]\n');
    const folder = folderWith({
      'mile-marker.yaml': `${head}gates: {far: {networks: 198.51.100.0/24}, wardens: {people: w}, either: {people: w, networks: 127.0.0.1, need: any}}
roads:
  bench: {to: ${to}, expect: {path: /live, websocket: true}}
  far: {to: ${to}, gate: far}
  roster: {to: ${to}, gate: wardens}
  either: {to: ${to}, gate: either}
  site: {folder: ./site, gate: wardens, expect: {text: the marsh}}
  bare: {folder: ./site, gate: everyone, expect: {text: the sea}}
  parts: {to: ":9", paths: {/x: ${to}}, expect: {path: /x/y, status: 200}}
  moved: {redirect: "https://www.example.org", gate: wardens}
  asleep: {to: ${to}, gate: far, paused: true}
`,
      w: `edda:${bcrypt.hashSync('tern over the spit', 4)}\n`,
      login: 'edda:tern over the spit\n',
      'site/index.html': 'the marsh',
    });
    chmodSync(folder, 0o755);
    chmodSync(join(folder, 'login'), 0o600);
    const front = await startFront(folder, proxy);
    try {
      const { code, out } = await mileMarker(['verify', '--at', '127.0.0.1', '--login', 'login', '--json'], folder);
      const { findings, roads } = JSON.parse(out) as Report;
      const told = findings
        .filter(({ rule }) => rule !== 'certificate-practice')
        .map(({ rule, roads: of }) => [rule, of]);
      // The one that expects what is not there, and the part of a road whose service is not there.
      expect([code, told]).toEqual([
        1,
        [
          ['expectation-unmet', [full('bare')]],
          ['service-down', [full('parts')]],
          ['not-tested-behind-gate', [full('far')]],
        ],
      ]);
      const cells = roads.map(({ name, legs }) => [
        name.split('.')[0],
        legs['access']?.says,
        legs['service']?.says,
        legs['websocket']?.outcome,
      ]);
      expect(cells).toEqual([
        ['bench', 'lets in', '200', 'ok'],
        ['far', 'refused, 403', 'behind its gate', 'skipped'],
        ['roster', 'refused, 401', '200', 'skipped'],
        ['either', 'lets in', '200', 'skipped'],
        ['site', 'refused, 401', 'folder', 'skipped'],
        ['bare', 'no gate', 'unexpected', 'skipped'],
        ['parts', 'lets in', 'down', 'skipped'],
        ['moved', 'refused, 401', 'to www.example.org', 'skipped'],
        ['asleep', 'no gate', 'paused', 'skipped'],
      ]);
    } finally {
      await front.stop();
      birdLog.close();
    }
  },
);

test('on the machine itself, with a public address on the map, home is home', async () => {
  const birdLog = await service();
  const { head, https } = await practiceHead();
  const roads = `roads: {bench: {to: ":${String(portOf(birdLog))}"}}\n`;
  const folder = folderWith({ 'mile-marker.yaml': `${head}${roads}` });
  const front = await startFront(folder, 'builtin');
  // The running front is the same; only verify believes that it is elsewhere.
  writeFileSync(join(folder, 'mile-marker.yaml'), `${head.replace('127.0.0.1', '203.0.113.24')}${roads}`);
  const { findings, roads: tested } = read(
    await mileMarker(['verify', '--at', `127.0.0.1:${String(https)}`, '--json'], folder),
  );
  await front.stop();
  birdLog.close();
  // That the map was changed since is told, too.
  expect(findings.map(({ rule, severity }) => [severity, rule])).toEqual([['note', 'front-not-newest']]);
  expect(tested[0]?.legs['access']).toMatchObject({ outcome: 'ok', says: 'lets in' });
});

test('who names nothing must see neither a service nor a welcome page', async () => {
  const birdLog = await service();
  const port = portOf(birdLog);
  const welcome: http.RequestListener = (_, response) =>
    response.writeHead(200, { 'content-type': 'text/html' }).end('<html><title>Welcome to nginx!</title></html>');
  for (const [stranger, words] of [
    [passTo(port), 'shows the service of log.saltmarsh.example to anyone who asks for the bare address.'],
    [welcome, "shows a server's welcome page to anyone who asks for the bare address."],
    [refuse(403), null],
  ] as const) {
    const plain = await listening(http.createServer(stranger), 0);
    const folder = folderWith({
      'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(portOf(plain))}, https: 1}}\nroads: {log: {to: ":${String(port)}", gate: everyone}}\n`,
    });
    const front = await startFaultyFront({ log: { https: passTo(port) } });
    const map = `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(portOf(plain))}, https: ${String(front.httpsPort)}}}\nroads: {log: {to: ":${String(port)}", gate: everyone}}\n`;
    writeFileSync(join(folder, 'mile-marker.yaml'), map);
    writeFileSync(join(folder, 'ca.pem'), front.authority.certificate);
    const { findings } = read(await mileMarker(['verify', '--at', '127.0.0.1', '--trust', 'ca.pem', '--json'], folder));
    const told = findings.filter(({ leg }) => leg === 'bypass');
    expect(told.map(({ rule, message }) => [rule, message.replace(/^\S+ /, '')])).toEqual(
      words === null ? [] : [['stranger-sees-something', words]],
    );
    front.stop();
    plain.close();
  }
  birdLog.close();
});

test.each(proxyNames.filter((name) => programOf(name).limits.checks.includes('asks')))(
  '%s: where a service decides, its word is what is expected, and its silence is one finding',
  async (proxy) => {
    let says: http.RequestListener = (_, response) => {
      response.writeHead(302, { location: `https://desk.saltmarsh.example/in?at=${String(Math.random())}` }).end();
    };
    const desk = await listening(
      http.createServer((request, response) => says(request, response)),
      0,
    );
    const log = await service();
    const { head } = await practiceHead(proxy);
    const folder = folderWith({
      'mile-marker.yaml': `${head}gates: {in: {asks: ":${String(portOf(desk))}/check"}}\nroads: {log: {to: ":${String(portOf(log))}", gate: in}}\n`,
    });
    chmodSync(folder, 0o755);
    const front = await startFront(folder, proxy);
    const found = async (): Promise<unknown> => {
      const { roads, findings } = read(await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder));
      return [
        roads[0]?.legs['access']?.outcome,
        findings.filter(({ severity }) => severity !== 'note').map(({ rule }) => rule),
      ];
    };
    try {
      expect(await found()).toEqual(['ok', []]);
      says = (_, response) => void response.writeHead(204).end();
      expect(await found()).toEqual(['ok', []]);
      says = (_, response) => void response.writeHead(500).end();
      expect(await found()).toEqual(['wrong', ['gate-asks-silent']]);
      says = (_, response) => void response.destroy();
      expect(await found()).toEqual(['wrong', ['gate-asks-silent']]);
    } finally {
      await front.stop();
      desk.close();
      log.close();
    }
  },
);
