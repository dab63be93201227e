import http from 'node:http';
import net from 'node:net';
import nodeHttps from 'node:https';
import { writeFileSync } from 'node:fs';
import { createSocket } from 'node:dgram';
import { join } from 'node:path';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { startDns } from '../src/demo/dns.ts';
import { passTo, startFaultyFront, toHttps, type Behaviour } from './support/faulty-front.ts';
import { startFront } from './support/fronts.ts';
import { practiceHead } from './support/site.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, launch, mileMarker, stop, type Ran } from './support/program.ts';

/** verify judges fronts that Mile Marker did not write. One fault at a time is tried in test/faults/; here several roads have one each. */

interface Told {
  rule: string;
  severity: string;
  leg: string;
  roads: string[];
  cause: string;
  message: string;
  remedy: string;
  where: unknown;
  evidence: Record<string, unknown>;
}

interface Report {
  format: string;
  version: number;
  roads: Array<{ name: string; legs: Record<string, { outcome: string; says: string }> }>;
  findings: Told[];
}

const read = ({ out }: Ran): Report => JSON.parse(out) as Report;

/** A service whose page is its own, with the time in it. */
async function pageServer(title: string): Promise<http.Server> {
  return listening(
    http.createServer((request, response) => {
      response.writeHead(200, { 'content-type': 'text/html' });
      response.end(
        `<html><title>${title}</title><p>${title} since ${String(process.hrtime.bigint())} ${request.headers['x-forwarded-proto'] ?? ''}</p><ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven<li>eight</ul></html>`,
      );
    }),
    0,
  );
}

const nginxError =
  (status: number, reason: string): http.RequestListener =>
  (_, response) => {
    response.writeHead(status, { server: 'nginx', 'content-type': 'text/html' });
    response.end(
      `<html>\r\n<head><title>${String(status)} ${reason}</title></head>\r\n<body>\r\n<center><h1>${String(status)} ${reason}</h1></center>\r\n<hr><center>nginx</center>\r\n</body>\r\n</html>\r\n`,
    );
  };

const answer =
  (status: number, headers: http.OutgoingHttpHeaders, body = ''): http.RequestListener =>
  (_, response) =>
    response.writeHead(status, headers).end(body);

describe('a front with several faults at once', () => {
  let report: Report;
  let ran: Ran;
  const cleanups: Array<() => void> = [];

  beforeAll(async () => {
    const nestcam = await pageServer('Nest camera');
    const roster = await pageServer('Roster');
    const right = passTo(portOf(nestcam));
    const behaviours: Record<string, Behaviour & { to?: number | string }> = {
      fine: { https: right },
      foundly: { https: right, http: (request, response) => toHttps(front.httpsPort, 302)(request, response) },
      clear: { https: right, http: answer(200, {}, 'in clear text') },
      expired: { https: right, certificate: { madeAt: '2020-01-01' } },
      swapped: { https: passTo(portOf(roster)), to: portOf(nestcam) },
      stranger: { https: answer(200, { 'content-type': 'text/html' }, '<html><title>Somebody</title></html>') },
      roster: { https: passTo(portOf(roster)), to: portOf(roster) },
      held: { https: nginxError(403, 'Forbidden') },
      sent: {
        https: (request, response) =>
          response.writeHead(307, { location: `https://www.example.org${request.url ?? ''}` }).end(),
        to: 'https://www.example.org',
      },
    };
    const front = await startFaultyFront(behaviours);
    cleanups.push(front.stop, ...[nestcam, roster].map((server) => () => void server.close()));
    const roads = Object.entries(behaviours).map(([name, { to = portOf(nestcam) }]) =>
      typeof to === 'string' && !to.includes('127.0.0.1')
        ? `  ${name}: {redirect: "${to}", gate: everyone}`
        : `  ${name}: {to: "${typeof to === 'string' ? to : `:${String(to)}`}", gate: ${name === 'held' ? 'home' : 'everyone'}}`,
    );
    const head = `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(front.httpPort)}, https: ${String(front.httpsPort)}}}\nroads:\n`;
    const folder = folderWith({
      'mile-marker.yaml': head + roads.join('\n') + '\n',
      'ca.pem': front.authority.certificate,
    });
    ran = await mileMarker(['verify', '--at', '127.0.0.1', '--trust', 'ca.pem', '--json'], folder);
    report = read(ran);
  });

  afterAll(() => {
    for (const cleanup of cleanups) cleanup();
  });

  test.each<[string, string, string]>([
    ['foundly', 'redirect-temporary', '302'],
    ['clear', 'redirect-wrong', 'answers 200 in clear text'],
    ['expired', 'certificate-dates', 'expired on 2021-01-31'],
    ['swapped', 'wrong-service', 'shows the service of roster.saltmarsh.example'],
    ['stranger', 'wrong-service', 'asked directly, shows one titled'],
    ['held', 'gate-refused-here', 'the gate `home` refuses this machine'],
  ])('%s gets %s', (road, rule, words) => {
    const told = report.findings.filter(({ roads }) => roads.includes(`${road}.saltmarsh.example`));
    expect(told.map((finding) => finding.rule)).toEqual([rule]);
    expect(told[0]?.message).toContain(words);
  });

  test.each(['fine', 'roster', 'sent'])('%s is well in every leg, and nothing is said of it', (road) => {
    const full = `${road}.saltmarsh.example`;
    const legs = report.roads.find(({ name }) => name === full)?.legs ?? {};
    expect(Object.entries(legs).map(([leg, { outcome }]) => `${leg} ${outcome}`)).toEqual([
      'dns skipped',
      'port ok',
      'tls ok',
      'redirect ok',
      'access skipped',
      'service ok',
      'websocket skipped',
      'bypass ok',
    ]);
    expect(report.findings.filter(({ roads }) => roads.includes(full))).toEqual([]);
  });

  test('the document says what it is, and every finding has all its parts', () => {
    expect([ran.code, report.format, report.version]).toEqual([1, 'mile-marker-verify', 1]);
    for (const finding of report.findings) {
      expect(Object.keys(finding).sort()).toEqual([
        'cause',
        'evidence',
        'leg',
        'message',
        'remedy',
        'roads',
        'rule',
        'severity',
        'where',
      ]);
      if (finding.roads.length === 1) expect(finding.where).toMatchObject({ file: 'mile-marker.yaml' });
    }
  });
});

describe('names and ports', () => {
  const map = (http: number, https: number, roads: string, address = '127.0.0.1'): string =>
    `domains: [saltmarsh.example]\nfront: {address: ${address}, ports: {http: ${String(http)}, https: ${String(https)}}}\nroads: {${roads}}\n`;

  test('DNS: missing, elsewhere, right; several names with one cause are told once', async () => {
    const [http = 0, https = 0] = await freePorts(2);
    const records = new Map([
      ['right.saltmarsh.example', '127.0.0.1'],
      ['old-a.saltmarsh.example', '127.0.0.7'],
      ['old-b.saltmarsh.example', '127.0.0.7'],
    ]);
    const dns = await startDns({ domains: ['saltmarsh.example'], records });
    const roads = ['right', 'old-a', 'old-b', 'none'].map((name) => `${name}: ":9"`).join(', ');
    const folder = folderWith({ 'mile-marker.yaml': map(http, https, roads) });
    const ran = await mileMarker(['verify', '--resolver', `127.0.0.1:${String(dns.port)}`, '--json'], folder);
    await dns.stop();
    const told = read(ran).findings.filter(({ leg }) => leg === 'dns');
    expect(told.map(({ rule, roads: broken, remedy }) => [rule, broken.length, remedy])).toEqual([
      ['dns-elsewhere', 2, 'Change the record to A 127.0.0.1, or correct `front.address` if the front has moved.'],
      [
        'dns-missing',
        1,
        'Add at your DNS provider (full list: mile-marker dns records): none.saltmarsh.example. CNAME right.saltmarsh.example.',
      ],
    ]);
    // A broken DNS leg does not stop the rest, which goes on at the front's address.
    expect(read(ran).roads[0]?.legs).toMatchObject({
      dns: { outcome: 'ok' },
      port: { outcome: 'wrong' },
      tls: { outcome: 'skipped' },
    });
  });

  test('a forgotten AAAA is a warning with the record to add', async () => {
    const dns = await startDns({
      domains: ['saltmarsh.example'],
      records: new Map([['a.saltmarsh.example', '127.0.0.1']]),
    });
    const folder = folderWith({ 'mile-marker.yaml': map(1, 2, 'a: ":9"', '[127.0.0.1, "::1"]') });
    const ran = await mileMarker(['verify', '--resolver', `127.0.0.1:${String(dns.port)}`, '--json'], folder);
    await dns.stop();
    expect(read(ran).findings.find(({ leg }) => leg === 'dns')).toMatchObject({
      rule: 'dns-incomplete',
      severity: 'warning',
      remedy: 'Add this record: AAAA ::1',
    });
  });

  test('a resolver that stays silent is no verdict: unsure, and the other legs are tested all the same', async () => {
    const silent = createSocket('udp4');
    await new Promise<void>((resolve) => silent.bind(0, '127.0.0.1', resolve));
    const [http = 0, https = 0] = await freePorts(2);
    const folder = folderWith({ 'mile-marker.yaml': map(http, https, 'a: ":9"') });
    const ran = await mileMarker(
      ['verify', '--resolver', `127.0.0.1:${String(silent.address().port)}`, '--timeout', '200ms', '--json'],
      folder,
    );
    silent.close();
    expect(read(ran).roads[0]?.legs).toMatchObject({ dns: { outcome: 'unsure' }, port: { outcome: 'wrong' } });
    expect(read(ran).findings.map(({ rule }) => rule)).toEqual(['port-closed', 'port-closed', 'dns-no-answer']);
  });

  test('when nothing is wrong but the resolver is mute, the exit code says that it could not be judged', async () => {
    const silent = createSocket('udp4');
    await new Promise<void>((resolve) => silent.bind(0, '127.0.0.1', resolve));
    const { head } = await practiceHead();
    const folder = folderWith({
      'mile-marker.yaml': `${head}roads: {a: {redirect: "https://www.example.org", gate: everyone}}\n`,
    });
    const front = await startFront(folder, 'builtin');
    const resolver = ['--resolver', `127.0.0.1:${String(silent.address().port)}`, '--timeout', '300ms'];
    expect((await mileMarker(['verify', ...resolver], folder)).code).toBe(3);
    expect((await mileMarker(['verify', '--at', '127.0.0.1'], folder)).code).toBe(0);
    await front.stop();
    silent.close();
  });

  test('plain HTTP on the HTTPS port, and a port that takes connections and says nothing', async () => {
    const plain = await listening(
      http.createServer((_, response) => response.end('hello')),
      0,
    );
    const folder = folderWith({ 'mile-marker.yaml': map(portOf(plain), portOf(plain) + 1, 'a: ":9"') });
    const text = map(portOf(plain), 1, 'a: ":9"').replace('https: 1}', `https: ${String(portOf(plain))}, }`);
    writeFileSync(join(folder, 'mile-marker.yaml'), text.replace(`http: ${String(portOf(plain))}`, 'http: 9'));
    const ran = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder);
    plain.close();
    expect(read(ran).findings.map(({ rule, cause }) => [rule, cause.replace(/\d+/, 'N')])).toEqual([
      ['port-closed', 'front:N'],
      ['port-not-served', 'front:N'],
    ]);
  });

  test('only the roads that are named, by short name too; a wrong one gets the nearest', async () => {
    const folder = folderWith({ 'mile-marker.yaml': map(1, 2, 'nestcam: ":9", roster: ":9"') });
    const ran = await mileMarker(['verify', 'nestcam', '--at', '127.0.0.1', '--json'], folder);
    expect(read(ran).roads.map(({ name }) => name)).toEqual(['nestcam.saltmarsh.example']);
    const wrong = await mileMarker(['verify', 'nestcan.saltmarsh.example', '--at', '127.0.0.1'], folder);
    expect(wrong).toMatchObject({
      code: 2,
      err: expect.stringContaining('Did you mean nestcam.saltmarsh.example?') as string,
    });
  });

  test('Ctrl-C while a service hangs ends it at once with 130', async () => {
    const hung = await listening(
      http.createServer(() => undefined),
      0,
    );
    const folder = folderWith({ 'mile-marker.yaml': map(1, 2, `a: ":${String(portOf(hung))}"`) });
    const child = launch(['verify', '--at', '127.0.0.1', '--timeout', '5m'], folder);
    const asked = new Promise((resolve) => hung.once('request', resolve));
    await asked;
    expect(await stop(child)).toBe(130);
    hung.closeAllConnections();
    hung.close();
  });
});

test('two parts of one road that are swapped: each is told, by the service that it shows', async () => {
  const [camera, tables] = [await pageServer('Nest camera'), await pageServer('Tide tables')];
  const front = await startFaultyFront({
    hut: {
      https: (request, response) =>
        passTo(portOf(request.url?.startsWith('/tables') === true ? camera : tables))(request, response),
    },
  });
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, ports: {http: ${String(front.httpPort)}, https: ${String(front.httpsPort)}}}
roads:
  hut: {to: ":${String(portOf(camera))}", gate: everyone, paths: {/tables: ":${String(portOf(tables))}"}}
`,
    'ca.pem': front.authority.certificate,
  });
  const { findings } = read(await mileMarker(['verify', '--at', '127.0.0.1', '--trust', 'ca.pem', '--json'], folder));
  front.stop();
  for (const server of [camera, tables]) server.close();
  expect(findings.map(({ rule, message }) => `${rule} ${message}`).sort()).toEqual([
    expect.stringMatching(/^wrong-service hut\.saltmarsh\.example shows .*hut\.saltmarsh\.example\/tables/),
    expect.stringMatching(/^wrong-service hut\.saltmarsh\.example\/tables shows .*hut\.saltmarsh\.example/),
  ]);
});

test('a router that does not lead back inside, and names that lead home: said once, and the roads are tested at home', async () => {
  const [https = 0, http = 0, outHttps = 0, outHttp = 0, mark = 0] = await freePorts(5);
  const page = await pageServer('Hut');
  const domain = 'saltmarsh.example';
  const folder = folderWith({
    'mile-marker.yaml': `domains: [${domain}]
front:
  address: 127.0.0.1
  home: [127.0.0.2]
  ports: {http: ${String(outHttp)}, https: ${String(outHttps)}}
  listen: {http: ${String(http)}, https: ${String(https)}}
  mark: 127.0.0.1:${String(mark)}
roads:
  hut: {to: ":${String(portOf(page))}", gate: everyone}
  log: {to: ":${String(portOf(page))}", gate: everyone}
`,
  });
  const records = new Map(['hut', 'log'].map((name) => [`${name}.${domain}`, '127.0.0.2']));
  const dns = await startDns({ domains: [domain], records });
  const front = await startFront(folder, 'builtin');
  const relay = await listening(
    net.createServer((socket) => pipeTo(socket, https)),
    https,
    '127.0.0.2',
  );
  const plain = await listening(
    net.createServer((socket) => pipeTo(socket, http)),
    http,
    '127.0.0.2',
  );
  const resolver = ['--resolver', `127.0.0.1:${String(dns.port)}`];
  try {
    const { findings, roads } = read(await mileMarker(['verify', '--json', ...resolver], folder));
    const told = findings.filter(({ rule }) => rule !== 'certificate-practice');
    expect(told.map(({ rule, severity, roads: all }) => [rule, severity, all.length])).toEqual([
      ['no-hairpin', 'note', 2],
      ['split-dns', 'note', 2],
    ]);
    expect(roads.map(({ legs }) => legs['service']?.outcome)).toEqual(['ok', 'ok']);
  } finally {
    for (const server of [relay, plain, page]) server.close();
    await front.stop();
    await dns.stop();
  }
});

test('--open-ports names what answers beside the front, where the address is proven to be ours', async () => {
  const [https = 0, http = 0, mark = 0, foreign = 0] = await freePorts(4);
  const page = await pageServer('Tides');
  const port = String(portOf(page));
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, ports: {http: ${String(http)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
compose: [compose.yaml]
roads:
  tides: {to: "tide-tables:80", gate: everyone}
`,
    'compose.yaml': `services: {tide-tables: {image: pages, ports: ["127.0.0.1:${port}:80"]}}`,
  });
  const front = await startFront(folder, 'builtin');
  const look = async (at: number): Promise<string[]> => {
    const ran = await mileMarker(['verify', '--open-ports', '--json', '--at', `127.0.0.1:${String(at)}`], folder);
    const told = read(ran).findings.filter(({ rule }) => rule.includes('open'));
    return told.map(({ severity, message }) => `${severity}: ${message}`);
  };
  const other = await makeThrowaway(new Date());
  const stranger = await listening(nodeHttps.createServer({ cert: other.certificate, key: other.key }), foreign);
  try {
    expect(await look(https)).toContain(
      `note: From home, port ${port} of 127.0.0.1 answers (container tide-tables), but is not on the map.`,
    );
    expect(await look(foreign)).toEqual([
      'note: The ports of 127.0.0.1 were not tested: it does not show a certificate of this map.',
    ]);
  } finally {
    for (const server of [page, stranger]) server.close();
    await front.stop();
  }
});

/** The machine's address at home. */
function pipeTo(socket: net.Socket, port: number): void {
  const onward = net.connect(port, '127.0.0.1');
  socket.pipe(onward).pipe(socket);
  for (const end of [socket, onward]) end.on('error', () => end.destroy());
}
