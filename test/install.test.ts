import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, lchownSync, readdirSync, readFileSync, readlinkSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import tls from 'node:tls';
import { join } from 'node:path';
import pLimit from 'p-limit';
import { spareEditions } from '../src/core/live/front-journal.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { ownNginx, type OwnNginx } from './support/own-nginx.ts';
import { ended, folderWith, mileMarker, mileMarkerProcess, program, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** The map brought live by one command, on a real nginx with a configuration of its own; and whatever comes in between. */

let service: http.Server;
beforeAll(async () => {
  service = await listening(
    http.createServer((_, response) => response.end('<title>Nest camera</title>')),
    0,
  );
});
const machines: OwnNginx[] = [];
// Before the folders go, which happens when all tests are over.
afterEach(async () => {
  for (const machine of machines.splice(0)) await machine.stop();
});
afterAll(() => {
  service.close();
  service.closeAllConnections();
});

interface Place extends OwnNginx {
  folder: string;
  https: number;
  mark: () => Promise<string>;
  /** Writes the map anew. @param port of the service @param more lines below `roads:` */
  say: (port?: number, more?: string) => void;
  run: (...argv: string[]) => Promise<Ran>;
}

async function place(reload = ''): Promise<Place> {
  const { head, mark, https } = await practiceHead('nginx');
  const folder = folderWith();
  const machine = ownNginx(folder, reload);
  machines.push(machine);
  const say = (port = portOf(service), more = ''): void =>
    writeFileSync(
      join(folder, 'mile-marker.yaml'),
      `${head}roads:\n  nestcam: {to: ":${String(port)}", gate: everyone}\n${more}`,
    );
  say();
  return {
    ...machine,
    folder,
    https,
    say,
    run: (...argv) => mileMarker(argv, folder, machine.env),
    mark: async () => {
      const answer = await fetch(`http://127.0.0.1:${String(mark)}/mark`, { headers: { connection: 'close' } }).catch(
        () => null,
      );
      return (await answer?.text())?.slice(0, 12) ?? 'nothing';
    },
  };
}

const more = '  roster: {redirect: "https://nestcam.saltmarsh.example"}\n';

test('from nothing to live and back again', async () => {
  const at = await place();
  expect((await at.run('certs', 'make')).code).toBe(0);
  const dry = await at.run('install', '--dry-run');
  expect([dry.code, dry.out, await at.mark(), readdirSync(at.files)]).toEqual([
    0,
    expect.stringContaining('mile-marker.conf, by which nginx reads these files'),
    'nothing',
    [],
  ]);
  expect(await at.run('install')).toMatchObject({ code: 2, err: expect.stringContaining('add --yes') as string });
  const first = await at.run('install', '--yes', '--no-rehearsal');
  expect([first.code, first.err]).toEqual([0, expect.stringMatching(/Edition 0001 is live\. [^]*1 of 1 road works/)]);
  expect([await at.mark(), readdirSync(at.files)]).toEqual(['edition 0001', ['mile-marker.conf']]);
  expect((await at.run('install', '--yes', '--no-rehearsal')).err).toMatch(/Edition 0001 is live already/);

  at.say(undefined, more);
  expect((await at.run('certs', 'make')).code).toBe(0);
  const second = await at.run('install', '--yes', '--no-rehearsal', '--json');
  expect(JSON.parse(second.out)).toMatchObject({ end: 'live', running: 1, edition: 2, include: null });
  expect(await at.mark()).toBe('edition 0002');

  expect((await at.run('undo', 'front', '--yes')).err).toMatch(/Live now: edition 0001\. Before: edition 0002/);
  expect(await at.mark()).toBe('edition 0001');
  expect((await at.run('undo', 'front', '2', '--yes')).code).toBe(0);
  expect(await at.mark()).toBe('edition 0002');
  expect((await at.run('undo', 'front', '2', '--yes')).err).toMatch(/Edition 0002 is live already/);
  const list = await at.run('editions');
  expect(list.out).toMatch(/0001 .* 1 road +(was live|undone)/);
  expect(list.out).toMatch(/0002 .* new roster\S+ +live\n/);
  expect(await at.run('undo', 'front', '9', '--yes')).toMatchObject({
    code: 2,
    err: expect.stringContaining('There are: 0001, 0002') as string,
  });
});

test('raw ports need a line of their own, by the step that is told, and are live from then on', async () => {
  const [port = 0, other = 0] = await freePorts(2);
  const at = await place();
  at.say(portOf(service), `ports:\n  ${String(port)}/tcp: {to: ":${String(portOf(service))}", gate: everyone}\n`);
  await at.run('certs', 'make');
  const lacking = await at.run('install', '--yes');
  expect([lacking.code, lacking.err]).toEqual([
    3,
    expect.stringContaining('for raw ports, it does not read their file'),
  ]);
  const step = /As root: (echo .*)\. Then run this again/.exec(lacking.err.replace(/\n\s+/g, ' '))?.[1] ?? '';
  execFileSync('sh', ['-c', step]);
  expect(await at.run('install', '--yes')).toMatchObject({ code: 0 });
  const answer = async (of: number): Promise<string> =>
    // A connection that is kept would go on with the server that it began with.
    fetch(`http://127.0.0.1:${String(of)}/`, { headers: { connection: 'close' } }).then(
      (got) => got.text(),
      () => 'nothing',
    );
  expect(await answer(port)).toContain('Nest camera');
  // Another one is live as any change is, and without any the line stays and reads nothing.
  at.say(portOf(service), `ports:\n  ${String(other)}/tcp: {to: ":${String(portOf(service))}", gate: everyone}\n`);
  expect(await at.run('install', '--yes')).toMatchObject({ code: 0 });
  expect([await answer(port), await answer(other)]).toEqual(['nothing', expect.stringContaining('Nest camera')]);
  at.say();
  expect(await at.run('install', '--yes')).toMatchObject({ code: 0 });
  expect(await answer(other)).toBe('nothing');
});

test('a line that somebody else added stays, and so does what it leads to', async () => {
  const at = await place();
  await at.run('certs', 'make');
  await at.run('write');
  const line = `include "${join(at.folder, '.mile-marker/front/current/front.conf')}";\n`;
  writeFileSync(join(at.files, 'mine.conf'), line);
  expect((await at.run('undo', 'front', '--yes')).err).toMatch(/nothing to undo\./);
  expect((await at.run('install', '--yes', '--no-rehearsal')).err).toContain('Edition 0001 is live');
  expect(readdirSync(at.files)).toEqual(['mine.conf']);
  const undone = await at.run('undo', 'front', '--yes');
  expect([undone.code, undone.err]).toEqual([
    3,
    expect.stringMatching(/Nothing was changed\.[^]*do: Remove it yourself/),
  ]);
  expect(await at.mark()).toBe('edition 0001');
});

test('interrupted while it tests, it is ended by the next command', async () => {
  const at = await place();
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  at.say(undefined, more);
  await at.run('certs', 'make');
  const ctrlC = new AbortController();
  const progress = (line: string): void => {
    if (line === 'testing every road') ctrlC.abort();
  };
  const ran = await mileMarker(['install', '--yes', '--no-rehearsal'], at.folder, at.env, {
    signal: ctrlC.signal,
    progress,
  });
  expect([ran.code, ran.err]).toEqual([130, expect.stringContaining('Interrupted before every road was tested')]);
  // One that only looks changes nothing, and says who ends it.
  const journal = (): string => readFileSync(join(at.folder, '.mile-marker/front/journal.jsonl'), 'utf8');
  const before = journal();
  for (const looks of ['roads', 'check', 'editions', 'verify'])
    expect((await at.run(looks)).err).toContain('edition 0002 was interrupted. To finish it: mile-marker install');
  expect(journal()).toBe(before);
  expect((await at.run('install')).err).toMatch(/edition 0002 was interrupted\. [^]*so it stays[^]*is live already/);
  expect((await at.run('editions')).err).not.toMatch(/interrupted/);
  expect(await at.mark()).toBe('edition 0002');
});

test('check --installed tells what was changed by hand, what is not live, and what another serves', async () => {
  const at = await place();
  await at.run('certs', 'make');
  expect((await at.run('check', '--installed')).out).toContain('front-not-live');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  expect(await at.run('check', '--installed')).toMatchObject({ code: 0, out: '' });
  const current = join(at.folder, '.mile-marker/front/current');
  writeFileSync(join(current, 'serving.conf'), '# mine\n');
  rmSync(join(current, 'way-in.md'));
  const altered = await at.run('check', '--installed');
  expect([altered.code, altered.out]).toEqual([
    0,
    expect.stringMatching(
      /hand since edition 0001 was written: serving\.conf\.[^]*Missing from edition 0001: way-in\.md/,
    ),
  ]);
  const again = await at.run('install', '--yes', '--no-rehearsal');
  expect([again.code, again.out, await at.mark()]).toEqual([
    0,
    expect.stringMatching(/changed serving\.conf\nnew +way-in\.md/),
    'edition 0002',
  ]);
  expect(await at.run('check', '--installed')).toMatchObject({ code: 0, out: '' });
  at.say(undefined, more);
  await at.run('write');
  const waits = await at.run('check', '--installed', '--json');
  expect(waits.out).toContain('The front runs edition 0002, and edition 0003 was written last');
});

test('without root it changes nothing, and prints the steps of which some need root', async () => {
  const at = await place();
  await at.run('certs', 'make');
  const [user, group] = [65_534, 65_534];
  for (const path of ['.', 'mile-marker.yaml', ...readdirSync(at.folder, { recursive: true, encoding: 'utf8' })])
    if (!path.startsWith('machine')) lchownSync(join(at.folder, path), user, group);
  const asUser = (...argv: string[]): Promise<Ran> =>
    ended(
      spawn(process.execPath, [program, ...argv], {
        cwd: at.folder,
        uid: user,
        gid: group,
        env: { ...at.env, HOME: at.folder, DOCKER_HOST: 'none' },
      }),
    );
  const { code, err } = await asUser('install', '--yes');
  expect([code, err]).toEqual([2, expect.stringMatching(/needs root: [^]*was not touched\. Nothing was changed\./)]);
  expect(existsSync(join(at.folder, '.mile-marker/front'))).toBe(false);
  // Step by step as it is printed: the first one as that user, the others as root.
  expect((await asUser('write')).code).toBe(0);
  const line = /as root: add this line .*?: (include .*;)/.exec(err)?.[1] ?? '';
  writeFileSync(join(at.files, 'marsh.conf'), `${line}\n`);
  expect(err).toContain('as root: nginx -t && nginx -s reload');
  spawnSync(join(at.folder, 'machine/bin/nginx'));
  expect(await at.mark()).toBe('edition 0001');
});

test('what is made, paused or renewed is live at once where the front was installed', async () => {
  const at = await place();
  at.say(undefined, more);
  expect((await at.run('pause', 'roster')).err).toContain('next: mile-marker install');
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  const resumed = await at.run('resume', 'roster');
  expect([resumed.code, resumed.err, await at.mark()]).toEqual([
    0,
    expect.stringMatching(/Edition 0002 is live/),
    'edition 0002',
  ]);
  const shown = await shownAt(at.https);
  const lose = (): void =>
    rmSync(join(at.folder, '.mile-marker/certificates/nestcam.saltmarsh.example'), { recursive: true });
  lose();
  expect((await at.run('certs', 'make', '--no-reload')).err).toContain('next: mile-marker install');
  lose();
  expect((await at.run('certs', 'make')).err).toContain('from the next connection on');
  await until(async () => (await shownAt(at.https)) !== shown);
  expect((await at.run('pause', 'roster', '--no-reload')).err).toContain('next: mile-marker install');
  // What closes is live at once; what else waits does not go live along with it.
  expect((await at.run('pause', 'nestcam')).err).toMatch(/get 503 now[^]*not live yet[^]*next: mile-marker install/);
  expect(await at.mark()).toBe('edition 0003');
});

test('what is live already takes up a certificate that came since', async () => {
  const at = await place();
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  const throwaway = await shownAt(at.https);
  expect((await at.run('certs', 'make')).code).toBe(0);
  expect((await at.run('install')).err).toMatch(/is live already\. nginx has reloaded certificates/);
  await until(async () => (await shownAt(at.https)) !== throwaway);
});

/** nginx takes a reload up a moment after it was told to. */
async function until(holds: () => Promise<boolean>): Promise<void> {
  for (let tries = 0; tries < 100; tries += 1) if (await holds()) return;
  throw new Error('it never came to be');
}

async function shownAt(port: number): Promise<string> {
  const socket = tls.connect({
    host: '127.0.0.1',
    port,
    servername: 'nestcam.saltmarsh.example',
    rejectUnauthorized: false,
  });
  await once(socket, 'secureConnect');
  const { fingerprint256 } = socket.getPeerCertificate();
  socket.destroy();
  return fingerprint256;
}

test('old editions go, but for the newest, the live one, the one before it, and those that were live longest', async () => {
  const hour = (number: number): string => new Date(Date.UTC(2026, 10, 29, number)).toISOString();
  const live = [
    [1, 0],
    [2, 100],
    [3, 101],
    [4, 150],
    [5, 151],
    [6, 152],
    [7, 153],
  ] as const;
  const entries = live.map(([edition, at]) => ({ event: 'confirmed' as const, at: hour(at), edition, tested: true }));
  const editions = live.map(([edition]) => edition);
  expect(spareEditions(entries, editions, { current: 7, keep: 1 })).toEqual([4, 5]);
  expect(spareEditions(entries, editions, { current: 7, keep: 10 })).toEqual([]);

  const at = await place();
  for (let size = 1; size <= 6; size += 1) {
    at.say(undefined, `  roster: {to: ":${String(portOf(service))}", gate: everyone, body-limit: ${String(size)}B}\n`);
    if (size === 1) await at.run('certs', 'make');
    expect((await at.run('install', '--yes', '--no-rehearsal', '--keep-editions', '1')).err).toContain('is live');
  }
  const there = readdirSync(join(at.folder, '.mile-marker/front/editions'));
  expect(there.length).toBeLessThan(6);
  expect(there).toEqual(expect.arrayContaining(['0005', '0006']));
});

test('the first one taken back leaves nothing', async () => {
  const at = await place();
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  expect((await at.run('undo', 'front', '--yes')).err).toMatch(/Live now: nothing of this map/);
  expect([await at.mark(), readdirSync(at.files)]).toEqual(['nothing', []]);
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  expect(await at.mark()).toBe('edition 0002');
});

test('what was right and is not any more is taken back, with its cause; what was wrong before is not punished', async () => {
  const at = await place();
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  at.say(9);
  const worse = await at.run('install', '--yes', '--no-rehearsal');
  expect([worse.code, worse.out, worse.err]).toEqual([
    1,
    expect.stringMatching(/error {2}service-down[^]*do:/),
    expect.stringMatching(/undone\. Live now: edition 0001,\s+as\s+before/),
  ]);
  expect(await at.mark()).toBe('edition 0001');
  expect((await at.run('editions')).out).toMatch(/0002 .* undone\n(.*\n)*0002  .*nothing listens/);

  // By hand it goes live all the same; then it is no worse than before.
  expect((await at.run('undo', 'front', '2', '--yes')).code).toBe(0);
  at.say(9, more);
  await at.run('certs', 'make');
  const onward = await at.run('install', '--yes', '--no-rehearsal');
  expect([onward.code, onward.err, await at.mark()]).toEqual([0, expect.stringContaining('live'), 'edition 0003']);
  expect(onward.out).toContain('service-down');
});

test('an error of check stops it, and what nginx refuses is never switched to', async () => {
  const at = await place();
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  at.say(9, more);
  await at.run('certs', 'make');
  writeFileSync(join(at.files, 'other.conf'), 'server { listen nowhere:80x; }\n');
  const stopped = await at.run('install', '--yes', '--no-rehearsal');
  expect([stopped.code, stopped.out, stopped.err]).toEqual([
    1,
    expect.stringContaining('served-not-known'),
    expect.stringContaining('--despite served-not-known'),
  ]);
  const despite = await at.run('install', '--yes', '--no-rehearsal', '--despite', 'served-not-known');
  expect([despite.code, despite.err]).toEqual([3, expect.stringMatching(/does not accept its configuration/)]);

  // Only the new edition is at odds with this one.
  at.say(undefined, '  waders: {to: ":9", gate: everyone}\n');
  await at.run('certs', 'make');
  await at.run('write', '--out', 'seen');
  const road = readFileSync(join(at.folder, 'seen/current/roads/waders.saltmarsh.example.conf'), 'utf8');
  const upstream = /^upstream (\S+)/m.exec(road)?.[1] ?? '';
  writeFileSync(join(at.files, 'other.conf'), `upstream ${upstream} { server 127.0.0.1:9; }\n`);
  const refused = await at.run('install', '--yes', '--no-rehearsal');
  expect([refused.code, refused.err]).toEqual([
    3,
    expect.stringMatching(/does not accept edition 0002: duplicate upstream [^]*Live now: edition 0001, as before/),
  ]);
  expect([await at.mark(), readlinkSync(join(at.folder, '.mile-marker/front/current'))]).toEqual([
    'edition 0001',
    'editions/0001',
  ]);
  expect((await at.run('editions')).out).toMatch(/0002 .* refused by the proxy\n\n0002 {2}duplicate upstream/);
});

/** An environment in which servers get two seconds. */
const impatient = ({ env }: Place): Record<string, string> => ({ ...env, MILE_MARKER_PATIENCE: '2' });

test('a server that says it has reloaded and has not is found out', async () => {
  const at = await place('exit 0');
  await at.run('certs', 'make');
  // It does not run yet, and is started.
  writeFileSync(join(at.files, 'a.conf'), '');
  const first = await mileMarkerProcess(['install', '--yes', '--no-rehearsal'], at.folder, impatient(at));
  expect([first.code, first.err]).toEqual([
    3,
    expect.stringMatching(/did not load it[^]*Live now: nothing of this map/),
  ]);
});

test('a server that dies when it is told to reload is started again with what it had', async () => {
  const root = '"$(dirname "$0")/.."';
  const at = await place(`[ -e ${root}/died ] || { touch ${root}/died; kill "$(cat ${root}/nginx.pid)"; exit 0; }`);
  writeFileSync(join(at.folder, 'machine/died'), '');
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  at.say(undefined, more);
  await at.run('certs', 'make', '--no-reload');
  rmSync(join(at.folder, 'machine/died'));
  const ran = await mileMarkerProcess(['install', '--yes', '--no-rehearsal'], at.folder, impatient(at));
  expect([ran.code, ran.err]).toEqual([
    3,
    expect.stringMatching(/did not load it[^]*Live now: edition 0001, as before/),
  ]);
  expect(await at.mark()).toBe('edition 0001');
});

test('a server that hangs when it is told to reload is waited for no longer than that', async () => {
  const root = '"$(dirname "$0")/.."';
  const at = await place(`[ -e ${root}/hangs ] && { rm ${root}/hangs; exec sleep 600; }`);
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
  at.say(undefined, more);
  await at.run('certs', 'make', '--no-reload');
  writeFileSync(join(at.folder, 'machine/hangs'), '');
  const ran = await mileMarkerProcess(['install', '--yes', '--no-rehearsal'], at.folder, impatient(at));
  expect([ran.code, ran.err.replace(/\s+/g, ' ')]).toEqual([
    3,
    expect.stringMatching(/did not load it: it did not end within 2 seconds\. Live now: edition 0001, as before/),
  ]);
  expect(await at.mark()).toBe('edition 0001');
});

test('of two at once one waits for the other, and finds its work done', async () => {
  const at = await place();
  await at.run('certs', 'make');
  const both = await Promise.all([1, 2].map(() => at.run('install', '--yes', '--no-rehearsal')));
  expect(both.map(({ code }) => code)).toEqual([0, 0]);
  expect(both.map(({ err }) => /is live( already)?\./.exec(err)?.[0]).sort()).toEqual(['is live already.', 'is live.']);
  expect(await at.mark()).toBe('edition 0001');
  const journal = readFileSync(join(at.folder, '.mile-marker/front/journal.jsonl'), 'utf8');
  expect(journal.match(/"installing"/g)).toHaveLength(1);
});

const hook = join(__dirname, 'support/faults.mjs');
const abreast = pLimit(3);

test.each(['kill', 'ENOSPC', 'EROFS'])(
  'an installation that meets %s at any change on the disk: the front serves one edition whole, and the next command ends it',
  async (fault) => {
    const changed = async (): Promise<Place> => {
      const at = await place();
      await at.run('certs', 'make');
      expect((await at.run('install', '--yes', '--no-rehearsal')).code).toBe(0);
      at.say(undefined, more);
      await at.run('certs', 'make');
      return at;
    };
    const inProcess = (at: Place, env: Record<string, string>): Promise<Ran> =>
      mileMarkerProcess(['install', '--yes', '--no-rehearsal'], at.folder, {
        ...at.env,
        NODE_OPTIONS: `--import ${hook}`,
        ...env,
      });
    const plain = await changed();
    const count = join(plain.folder, 'count');
    expect((await inProcess(plain, { FAULT_COUNT: count })).code).toBe(0);
    const changes = Number(readFileSync(count, 'utf8'));
    expect(changes).toBeGreaterThan(20);
    // `npm run thorough` tries them all.
    const every = Number(process.env['EVERY_CHANGE'] ?? (fault === 'kill' ? 40 : 80));
    const numbers = Array.from({ length: Math.ceil(changes / every) }, (_, index) => index * every + 1);
    await Promise.all(
      numbers.map((number) =>
        abreast(async () => {
          const at = await changed();
          const ran = await inProcess(at, { FAULT: fault, FAULT_AT: String(number) });
          expect(await at.mark()).toMatch(/^edition 000[12]$/);
          if (fault === 'kill') expect(ran.code).toBe(null);
          else expect(ran.err).not.toContain('mistake in Mile Marker');
          const again = await at.run('install', '--yes', '--no-rehearsal');
          expect([again.code, again.err]).toEqual([0, expect.stringMatching(/is live/)]);
          expect(await at.mark()).toMatch(/^edition 000[23]$/);
          const journal = readFileSync(join(at.folder, '.mile-marker/front/journal.jsonl'), 'utf8');
          expect(journal.trim().split('\n').pop()).toMatch(/confirmed/);
          expect(
            readdirSync(join(at.folder, '.mile-marker/front/editions')).filter((name) => name.startsWith('.')),
          ).toEqual([]);
          expect(existsSync(join(at.folder, '.mile-marker/lock'))).toBe(false);
          await at.stop();
        }),
      ),
    );
  },
  3_600_000,
);
