import { appendFileSync, readFileSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { readAlong } from '../src/adapters/files/front-log.ts';
import type { PlannedRoad } from '../src/core/plan/plan.ts';
import { plannedOf } from './support/plan.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { passTo, startFaultyFront } from './support/faulty-front.ts';
import { startFront } from './support/fronts.ts';
import { folderWith, launch, mileMarker, says, stop } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** From where and how often the roads are looked at, and what is said of it. */

const page =
  (title: string): http.RequestListener =>
  (_, response) =>
    response
      .setHeader('content-type', 'text/html')
      .end(
        `<title>${title}</title>${Array.from({ length: 12 }, (_one, index) => `<li>${title} ${String(index)}`).join('')}`,
      );

function close(...servers: http.Server[]): void {
  for (const server of servers) {
    server.close();
    server.closeAllConnections();
  }
}

test('--from-address is what the front sees, its log says so, and gates are judged by it', async () => {
  const server = await listening(http.createServer(page('Nest camera')), 0);
  const { head } = await practiceHead('builtin', '  home-networks: [127.0.0.7/32]\n');
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ":${String(portOf(server))}", gate: home, log: seen.log}\n`,
  });
  const front = await startFront(folder, 'builtin');
  const look = async (...argv: string[]): Promise<[string, string | undefined, unknown]> => {
    const { out } = await mileMarker(['verify', '--at', '127.0.0.1', '--json', ...argv], folder);
    const { roads, vantage } = JSON.parse(out) as {
      roads: Array<{ legs: Record<string, { says: string }> }>;
      vantage: { from: string; seenAs: string; place: string };
    };
    return [`${vantage.from} ${vantage.place}`, roads[0]?.legs['access']?.says, vantage.seenAs];
  };
  try {
    expect(await look()).toEqual(['127.0.0.1 machine', 'refused, 403', '127.0.0.1']);
    expect(await look('--from-address', '127.0.0.7')).toEqual(['127.0.0.7 machine', 'lets in', '127.0.0.7']);
    const kind = await mileMarker(['verify', '--at', '127.0.0.1', '--from-address', '::1'], folder);
    expect([kind.code, kind.out]).toEqual([
      3,
      expect.stringMatching(/port-not-judged[^]+is\s+not\s+of\s+the\s+same\s+kind/),
    ]);
    const wrong = await mileMarker(['verify', '--from-address', '203.0.113.9'], folder);
    expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('does not have the address 203.0.113.9')]);
    const other = await mileMarker(['verify', '--from-address', 'eth0'], folder);
    expect([other.code, other.err]).toEqual([2, expect.stringContaining('expects an address. Found: eth0')]);
  } finally {
    await front.stop();
    close(server);
  }
});

const nginxLine = '2026/11/28 10:00:00 [error] 12#12: *1';

test('only what bears the sign of this run says which address the front saw, and only what is new counts', async () => {
  const { plan } = plannedOf(
    'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {cam: {to: ":9", log: seen.log}, nestcam: ":9"}\n',
  );
  const folder = folderWith({
    'errors.log': `${nginxLine} old, client: 192.0.2.1, server: cam.saltmarsh.example, host: "cam.saltmarsh.example"\n`,
    'seen.log': '',
  });
  const [errors, log] = [join(folder, 'errors.log'), join(folder, 'seen.log')];
  const roads = plan.roads.map((road) => ({
    ...road,
    rules: { ...road.rules, log: road.name.startsWith('cam') ? log : null },
  }));
  const [cam, nestcam] = roads as [PlannedRoad, PlannedRoad];
  const along = await readAlong(errors, roads);
  expect([await along.lastError(cam), await along.addressSeen(nestcam)]).toEqual([null, null]);
  appendFileSync(errors, `${nginxLine} new, client: 192.0.2.2, server: nestcam.saltmarsh.example, host: "x"\n`);
  expect([await along.lastError(cam), await along.lastError(nestcam)]).toEqual([null, expect.stringContaining('new')]);
  appendFileSync(log, '192.0.2.3 - - [x] "GET / HTTP/1.1" 403 - "-" "other"\n');
  appendFileSync(log, `192.0.2.4 - - [x] "GET / HTTP/1.1" 403 - "https://cam/?${along.sign}" "mile-marker verify"\n`);
  appendFileSync(log, '192.0.2.5 - - [x] "GET / HTTP/1.1" 403 - "-" "mile-marker verify"\n');
  expect(await along.addressSeen(cam)).toBe('192.0.2.4');
  appendFileSync(
    errors,
    `${nginxLine} refused, client: 2001:db8::9, server: cam.saltmarsh.example, referrer: "https://cam/?${along.sign}"\n`,
  );
  expect(await along.addressSeen(cam)).toBe('2001:db8::9');
});

test('what follows from a finding is not told, and --verbose says what it was', async () => {
  const [own, other] = [
    await listening(http.createServer(page('Nest camera')), 0),
    await listening(http.createServer(page('Roster')), 0),
  ];
  const front = await startFaultyFront({
    nestcam: { https: passTo(portOf(other)) },
    roster: { https: passTo(portOf(other)) },
  });
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(front.httpPort)}, https: ${String(front.httpsPort)}}}\nroads:\n  nestcam: {to: ":${String(portOf(own))}", gate: everyone, methods: [GET, HEAD], hsts: 30d}\n  roster: {to: ":${String(portOf(other))}", gate: everyone}\n`,
    'ca.pem': front.authority.certificate,
  });
  const argv = ['verify', '--at', '127.0.0.1', '--trust', 'ca.pem'];
  const { out } = await mileMarker([...argv, '--verbose'], folder);
  const json = JSON.parse((await mileMarker([...argv, '--json'], folder)).out) as {
    findings: Array<{ rule: string }>;
    explained: unknown[];
  };
  front.stop();
  close(own, other);
  expect(json.findings.map(({ rule }) => rule)).toEqual(['wrong-service']);
  const named = { road: 'nestcam.saltmarsh.example', by: 'wrong-service' };
  expect(json.explained).toEqual([
    { rule: 'hsts-not-sent', leg: 'redirect', ...named },
    { rule: 'method-not-refused', leg: 'bypass', ...named },
  ]);
  expect(out.replace(/\s+/g, ' ')).toContain(
    'Caused by the findings above: hsts-not-sent: nestcam.saltmarsh.example sends no Strict-Transport-Security; the map asks for max-age=2592000. Caused by wrong-service. method-not-refused: nestcam.saltmarsh.example answers 200 to OPTIONS, which its `methods` forbid. Caused by wrong-service.',
  );
});

test('--watch goes on driving, prints what comes and what goes, and ends with Ctrl-C', async () => {
  const [port = 0] = await freePorts(1);
  const serve = (): Promise<http.Server> => listening(http.createServer(page('Nest camera')), port);
  const { head } = await practiceHead();
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads: {nestcam: {to: ":${String(port)}", gate: everyone}}\n`,
  });
  const front = await startFront(folder, 'builtin');
  let server = await serve();
  const child = launch(['verify', '--at', '127.0.0.1', '--watch', '200ms'], folder);
  let out = '';
  const prints = (words: RegExp): Promise<void> =>
    new Promise((resolve) => {
      const look = (): void => {
        if (!words.test(out)) return;
        child.stdout.off('data', look);
        resolve();
      };
      child.stdout.on('data', look);
      look();
    });
  child.stdout.setEncoding('utf8').on('data', (text: string) => (out += text));
  try {
    await says(child, 'Testing again every 200ms. Ctrl-C stops.');
    expect(out).toContain('1 of 1 road works');
    close(server);
    await prints(/\d{4}-\d\d-\d\d \d\d:\d\d:\d\d UTC\n {2}new +service-down: nestcam/);
    server = await serve();
    await prints(/ {2}fixed +service-down: nestcam/);
    // The map is read anew each time, as far as it can be.
    const map = join(folder, 'mile-marker.yaml');
    const sound = readFileSync(map, 'utf8');
    const unread = says(child, 'The map cannot be read now. Testing goes on with the earlier map.');
    writeFileSync(map, 'roads: [');
    await unread;
    writeFileSync(map, sound.replace('gate: everyone}', 'gate: everyone, paused: true}'));
    await prints(/ {2}new +pause-ignored: nestcam/);
    expect(await stop(child)).toBe(130);
    // What stays the same is not printed again.
    expect(out.match(/road works/g)).toHaveLength(1);
  } finally {
    child.kill('SIGKILL');
    close(server);
    await front.stop();
  }
});

test('options that do not go together are refused', async () => {
  const folder = folderWith({
    'mile-marker.yaml': 'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {a: ":9"}\n',
  });
  for (const [argv, words] of [
    [['--script', '--links'], '--script and --links'],
    [['--script', '--json'], '--script and --json'],
    [['--read', 'x', '--login', 'y'], '--read and --login'],
    [['--watch', '--read', 'x'], '--read and --watch'],
  ] as const)
    expect(await mileMarker(['verify', ...argv], folder)).toMatchObject({
      code: 2,
      out: '',
      err: `mile-marker: ${words} cannot be combined.\n  do: Use one of them.\n`,
    });
});

test('--links says what a phone must show, without asking the front', async () => {
  const server = await listening(http.createServer(page('Nest camera')), 0);
  const to = `":${String(portOf(server))}"`;
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 203.0.113.24, home-networks: [192.168.64.0/24]}
gates: {wardens: {people: w, networks: 192.168.64.0/24, need: any}}
roads:
  nestcam: {to: ${to}, gate: everyone}
  bench: {to: ${to}, gate: home}
  roster: {to: ${to}, gate: wardens, expect: {path: /shifts, text: "This week"}}
  moved: {redirect: "https://www.example.org", gate: everyone}
  asleep: {to: ${to}, gate: home, paused: true}
`,
  });
  const port = String(portOf(server));
  const { out, code } = await mileMarker(['verify', '--links'], folder);
  close(server);
  expect(code).toBe(0);
  expect(out).toBe(`on mobile data, Wi-Fi off                expect
https://nestcam.saltmarsh.example/       the page "Nest camera"
https://bench.saltmarsh.example/         refused (403)
https://roster.saltmarsh.example/shifts  a login prompt, then a page with "This
                                         week"
https://moved.saltmarsh.example/         goes to https://www.example.org
https://asleep.saltmarsh.example/        503: the road is paused
http://nestcam.saltmarsh.example/        goes to https:// by itself
http://203.0.113.24/                     no page: the connection closes
http://203.0.113.24:${port}/               no page at all

on the Wi-Fi at home                     expect
https://bench.saltmarsh.example/         the page "Nest camera"
https://roster.saltmarsh.example/shifts  a page with "This week"
`);
});
