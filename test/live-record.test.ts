import { spawn } from 'node:child_process';
import { once } from 'node:events';
import {
  appendFileSync,
  cpSync,
  linkSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  rmSync,
  statSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { statePaths } from '../src/adapters/files/state-folder.ts';
import { tryLock } from '../src/adapters/files/lock.ts';
import { reasonIn } from '../src/adapters/proxies/httpd/words.ts';
import { nginxProgram } from './support/fronts.ts';
import { ownNginx, type OwnNginx } from './support/own-nginx.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker, mileMarkerProcess, program, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** What is live is known from a record, and a look changes nothing of it: one test for each way in which that once failed. */

let service: http.Server;
const machines: OwnNginx[] = [];
beforeAll(async () => {
  service = await listening(
    http.createServer((_, response) => response.end('<title>Nest camera</title>')),
    0,
  );
});
afterEach(async () => {
  for (const machine of machines.splice(0)) await machine.stop();
});
afterAll(() => {
  service.close();
  service.closeAllConnections();
});

interface Place extends OwnNginx {
  markPort: number;
  folder: string;
  http: number;
  https: number;
  mark: () => Promise<string>;
  say: (more?: string) => void;
  run: (...argv: string[]) => Promise<Ran>;
  install: (...argv: string[]) => Promise<Ran>;
  start: () => Promise<void>;
}

async function place(more = ''): Promise<Place> {
  const ports = await practiceHead('nginx');
  const folder = folderWith();
  const machine = ownNginx(folder, '', more);
  machines.push(machine);
  const say = (roads = ''): void =>
    writeFileSync(
      join(folder, 'mile-marker.yaml'),
      `${ports.head}roads:\n  nestcam: {to: ":${String(portOf(service))}", gate: everyone}\n${roads}`,
    );
  say();
  await mileMarker(['certs', 'make'], folder, machine.env);
  const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder, machine.env);
  const mark = (): Promise<string> =>
    fetch(`http://127.0.0.1:${String(ports.mark)}/mark`, { headers: { connection: 'close' } })
      .then((answer) => answer.text())
      .then((text) => text.slice(0, 12))
      .catch(() => 'nothing');
  return {
    ...machine,
    ...{ folder, http: ports.http, https: ports.https, markPort: ports.mark, say, run, mark },
    install: (...argv) => run('install', '--yes', '--no-rehearsal', ...argv),
    start: async () => {
      const child = spawn(join(folder, 'machine/bin/nginx'), { stdio: 'ignore' });
      await once(child, 'exit');
    },
  };
}

const roster = '  roster: {redirect: "https://nestcam.saltmarsh.example", gate: everyone}\n';
const state = ({ folder }: Place): string => join(folder, '.mile-marker');
const journalOf = (at: Place): string => readFileSync(join(state(at), 'front/journal.jsonl'), 'utf8');
const currentOf = (at: Place): string => readlinkSync(join(state(at), 'front/current'));

/** Cut short as the journal has been told, and before anything else is done. */
async function cutShort(at: Place): Promise<void> {
  at.say(roster);
  await at.run('certs', 'make', '--no-reload');
  const env = { NODE_OPTIONS: `--import ${join(__dirname, 'support/faults.mjs')}`, FAULT_AFTER: '"installing"' };
  const ran = await mileMarkerProcess(['install', '--yes', '--no-rehearsal'], at.folder, { ...at.env, ...env });
  expect(ran.code).toBe(null);
}

test('cut short while the server is down: a look changes nothing, and what was confirmed stays what a start from the disk serves', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  await at.stop();
  await cutShort(at);
  const before = [journalOf(at), readdirSync(at.files), currentOf(at)];
  for (const look of ['check', 'roads', 'editions', 'verify', 'explain nestcam']) {
    const { err } = await at.run(...look.split(' '));
    expect(err).toContain('An installation of edition 0002 was interrupted. To finish it: mile-marker install');
    expect([journalOf(at), readdirSync(at.files), currentOf(at)]).toEqual(before);
  }
  const ended = await at.run('certs', 'make');
  expect(ended.err).toMatch(/was interrupted\. Everything is as before: edition 0001/);
  expect([readdirSync(at.files), currentOf(at)]).toEqual([['mile-marker.conf'], 'editions/0001']);
  await at.start();
  expect(await at.mark()).toBe('edition 0001');
});

test('a port that is taken leaves on the disk what was there, and no command repeats that it did not work', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  await at.stop();
  const taken = await listening(http.createServer(), at.https, '127.0.0.1');
  at.say(roster);
  const failed = await mileMarker(['install', '--yes', '--no-rehearsal', '--despite', 'front-port-taken'], at.folder, {
    ...at.env,
  });
  expect([failed.code, failed.err.replace(/\s+/g, ' ')]).toEqual([
    3,
    expect.stringMatching(/All files are restored, for edition 0001\. nginx did not answer before/),
  ]);
  taken.close();
  expect((await at.run('certs', 'make', '--no-reload')).err).not.toMatch(/was interrupted/);
  await at.start();
  expect(await at.mark()).toBe('edition 0001');
});

test('from another folder it is the same map', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  for (const cwd of ['/', '/tmp', join(at.folder, 'machine')]) {
    const ran = await mileMarker(['check', '--installed', '--map', join(at.folder, 'mile-marker.yaml')], cwd, at.env);
    expect([cwd, ran.code, ran.out]).toEqual([cwd, 0, '']);
    const again = await mileMarker(['install', '--yes', '--map', join(at.folder, 'mile-marker.yaml')], cwd, at.env);
    expect(again.err).toContain('Edition 0001 is live already');
  }
});

test('two maps with one identity in one server are an error that names both, and its remedy ends it', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  const copy = folderWith();
  const ports = await practiceHead('nginx');
  cpSync(state(at), join(copy, '.mile-marker'), { recursive: true, verbatimSymlinks: true });
  rmSync(join(copy, '.mile-marker/front/journal.jsonl'));
  writeFileSync(
    join(copy, 'mile-marker.yaml'),
    `${ports.head}roads: {waders: {to: ":${String(portOf(service))}", gate: everyone}}\n`,
  );
  const inCopy = (...argv: string[]): Promise<Ran> => mileMarker(argv, copy, at.env);
  const said = await inCopy('check');
  expect([said.code, said.out]).toEqual([1, expect.stringContaining('identity-shared')]);
  for (const folder of [at.folder, copy]) expect(said.out.replace(/\s+/g, ' ')).toContain(folder);
  expect((await inCopy('write', '--new-identity')).code).toBe(0);
  expect((await inCopy('check')).out).not.toContain('identity-shared');
  expect((await inCopy('install', '--yes', '--no-rehearsal')).err).toContain('is live');
  expect(await at.mark()).toBe('edition 0001');
});

test('an identity of version 1.0.0 stays: nothing is written anew, and no file is taken for that of another map', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  rmSync(join(state(at), 'identity'));
  expect(await at.run('check', '--installed')).toMatchObject({ code: 0, out: '' });
  expect((await at.install()).err).toContain('Edition 0001 is live already');
});

test('files of others are kept once and for all, and come back as the very files they were', async () => {
  const at = await place(`include ${'FILES'};`.replace('FILES', '/dev/null'));
  const old = (name: string): string =>
    `# h\u00f8stmark\nserver { listen 127.0.0.1:${String(at.http)}; server_name ${name}.saltmarsh.example; return 204; }\n`;
  const [a, b, links] = ['a.conf', 'b.conf', 'linked.conf'].map((name) => join(at.files, name)) as [
    string,
    string,
    string,
  ];
  at.say(roster);
  await at.run('certs', 'make');
  writeFileSync(a, Buffer.from(old('nestcam'), 'latin1'));
  linkSync(a, join(at.folder, 'a-by-another-name'));
  utimesSync(a, new Date(1_700_000_000_000), new Date(1_700_000_000_000));
  mkdirSync(join(at.folder, 'available'));
  const before = { bytes: readFileSync(a), ...statSync(a) };
  expect((await at.install('--replace', a)).code).toBe(0);
  expect(readFileSync(a, 'latin1')).toContain('Switched off');
  writeFileSync(join(at.folder, 'available/roster'), old('roster'));
  symlinkSync('../../available/roster', links);
  // Of a map that did not change, a second time: the first one's file is not lost.
  const second = await at.install('--replace', links);
  expect([second.code, second.out + second.err]).toEqual([0, expect.stringContaining('is live')]);
  writeFileSync(b, '# mine\n');
  expect((await at.run('undo', 'front', '--yes')).code).toBe(0);
  expect((await at.run('undo', 'front', '--yes')).err).toMatch(/nothing of this map|Nothing of this map/);
  expect(readFileSync(a).equals(before.bytes)).toBe(true);
  const { ino, mtimeMs, nlink, uid, mode } = statSync(a);
  expect({ ino, mtimeMs, nlink, uid, mode }).toEqual({
    ...{ ino: before.ino, mtimeMs: before.mtimeMs, nlink: 2, uid: before.uid, mode: before.mode },
  });
  expect(readlinkSync(links)).toBe('../../available/roster');
  expect(readdirSync(join(state(at), 'front/replaced'))).toEqual([]);
});

test('what somebody changed in a switched-off file stays, and it is said where the file lies as it was', async () => {
  const at = await place();
  const file = join(at.files, 'a.conf');
  writeFileSync(
    file,
    `server { listen 127.0.0.1:${String(at.http)}; server_name nestcam.saltmarsh.example; return 204; }\n`,
  );
  expect((await at.install('--replace', file)).code).toBe(0);
  appendFileSync(file, '# a note of mine\n');
  const undone = await at.run('undo', 'front', '--yes');
  const kept = /its earlier content: (\S+)/.exec(undone.err)?.[1] ?? '';
  expect(readFileSync(file, 'utf8')).toContain('a note of mine');
  expect(readFileSync(kept, 'utf8')).toMatch(/^server \{/);
});

test('nothing in the way is said before anything is rehearsed or changed', async () => {
  const at = await place();
  writeFileSync(join(at.files, 'a.conf'), '# nothing\n');
  const ran = await at.run('install', '--yes', '--replace', join(at.files, 'a.conf'));
  expect([ran.code, ran.err.replace(/\s+/g, ' ')]).toEqual([2, expect.stringContaining('nothing in it is in the way')]);
  expect(ran.err + ran.out).not.toMatch(/Rehearsed/);
});

test('after a restored backup no number comes twice, and what the front runs is not taken for what lies here', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  cpSync(state(at), join(at.folder, 'backup'), { recursive: true, verbatimSymlinks: true });
  at.say(roster);
  await at.run('certs', 'make');
  expect((await at.install()).err).toContain('Edition 0002 is live');
  rmSync(state(at), { recursive: true });
  cpSync(join(at.folder, 'backup'), state(at), { recursive: true, verbatimSymlinks: true });
  expect((await at.run('check', '--installed')).out.replace(/\s+/g, ' ')).toContain('is not in this folder');
  at.say('  waders: {to: ":9", gate: everyone}\n');
  await at.run('certs', 'make', '--no-reload');
  const ran = await at.install();
  // One that the front runs is never used again, and the map is judged as any other.
  expect([ran.code, ran.err]).toEqual([
    0,
    expect.stringMatching(/runs edition 0002, which is not in this folder[^]*Edition 0003 is live/),
  ]);
  expect(ran.out).toContain('service-down');
});

test('an include file that is removed by hand is noticed, and put back', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  rmSync(join(at.files, 'mile-marker.conf'));
  expect((await at.run('check', '--installed')).out).toContain('front-not-read');
  expect((await at.run('check')).err).not.toContain('Nothing needs doing');
  expect((await at.run('verify')).out).toContain('front-not-read');
  expect((await at.install()).code).toBe(0);
  expect(await at.run('check', '--installed')).toMatchObject({ code: 0, out: '' });
});

test.each(['the live edition', 'a certificate'])(
  '%s that is deleted is made anew by the command that is named',
  async (what) => {
    const at = await place();
    expect((await at.install()).code).toBe(0);
    const gone = what === 'a certificate' ? 'certificates/nestcam.saltmarsh.example' : 'front/editions/0001';
    rmSync(join(state(at), gone), { recursive: true });
    const said = await at.run('check', '--installed');
    expect(said.out.replace(/\s+/g, ' ')).toContain('mile-marker install');
    expect((await at.install()).code).toBe(0);
    expect(await at.run('check', '--installed')).toMatchObject({
      out: expect.not.stringMatching(/front-not|missing/) as string,
    });
  },
);

test('what is down is not called live', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  await at.stop();
  expect((await at.run('editions')).out).toContain('live last; the front does not answer');
  expect((await at.run('check', '--installed')).out).toMatch(/was live last, and nginx does not answer/);
});

test('one address of a port becomes all of them, and one again', async () => {
  const [http_ = 0, https = 0, mark = 0] = await freePorts(3);
  const folder = folderWith();
  const machine = ownNginx(folder);
  machines.push(machine);
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]
front: {address: 203.0.113.24, proxy: nginx, listen: {http: ${String(http_)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
engine: none
roads: {nestcam: {to: ":${String(portOf(service))}", gate: everyone}}
`,
  );
  const old = join(machine.files, 'old.conf');
  writeFileSync(
    old,
    `server { listen 127.0.0.1:${String(http_)}; server_name nestcam.saltmarsh.example; return 204; }\n`,
  );
  const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder, machine.env);
  await run('certs', 'make');
  await once(spawn(join(folder, 'machine/bin/nginx'), { stdio: 'ignore' }), 'exit');
  const ran = await run('install', '--yes', '--no-rehearsal', '--replace', old);
  expect([ran.code, ran.err]).toEqual([0, expect.stringContaining('Edition 0001 is live')]);
  expect((await run('undo', 'front', '--yes')).code).toBe(0);
  const answer = await fetch(`http://127.0.0.1:${String(http_)}/`, { headers: { connection: 'close' } });
  expect(answer.status).toBe(204);
});

test('pause closes at once, alone, whatever else waits; what opens says that it waits', async () => {
  const at = await place();
  at.say(roster);
  await at.run('certs', 'make');
  expect((await at.install()).code).toBe(0);
  const statusOf = async (name: string): Promise<number> => {
    const answer = await fetch(`http://127.0.0.1:${String(at.http)}/`, { headers: { host: name } }).catch(() => null);
    return answer?.status ?? 0;
  };
  // An edit that is not live, with an error that keeps it from going live.
  at.say(`${roster}  bench: {to: "nobody:80", gate: everyone}\n`);
  const paused = await at.run('pause', 'roster');
  expect([paused.code, paused.err.replace(/\s+/g, ' ')]).toEqual([
    0,
    expect.stringMatching(
      /Visitors of roster\.saltmarsh\.example get 503 now \(edition 0002 is live\)\. Other changes on the map are not live yet/,
    ),
  ]);
  expect(await at.mark()).toBe('edition 0002');
  expect(await statusOf('bench.saltmarsh.example')).toBe(0);
  const resumed = await at.run('resume', 'roster');
  expect([resumed.code, resumed.err]).toEqual([1, expect.stringContaining('stays paused for visitors')]);
  const closed = await at.run('set', 'nestcam', 'gate', 'home');
  expect([closed.code, closed.err]).toEqual([
    0,
    expect.stringMatching(/Only the new gate of nestcam\S+ counts now \(edition 0003/),
  ]);
  expect(await at.mark()).toBe('edition 0003');
  expect((await at.run('install', '--closing')).err).toContain('Everything that closes is live already');
});

test('a line of the journal that was cut takes nothing of the next one with it', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  appendFileSync(join(state(at), 'front/journal.jsonl'), '{"event":"prepared","at":"2026-');
  at.say(roster);
  await at.run('certs', 'make', '--no-reload');
  expect((await at.install()).code).toBe(0);
  const lines = journalOf(at).trim().split('\n');
  expect(lines.filter((line) => line.startsWith('{"event":"prepared","at":"2026-{'))).toEqual([]);
  expect((await at.run('editions')).out).toMatch(/0002 .* live\n/);
});

test('of many who see a lock that a dead one left, one alone gets it, again and again', async () => {
  const folder = folderWith();
  mkdirSync(join(folder, '.mile-marker'));
  const paths = statePaths(join(folder, 'mile-marker.yaml'));
  for (let round = 0; round < 30; round += 1) {
    writeFileSync(join(paths.root, 'lock'), `{"pid":4000000,"started":"${String(round)}","space":"","command":"x"}`);
    const taken = await Promise.all(Array.from({ length: 12 }, () => tryLock(paths, 'mile-marker write')));
    const held = taken.filter((one) => one !== null);
    expect(held).toHaveLength(1);
    await held[0]?.();
    expect(readdirSync(paths.root).filter((name) => name.startsWith('lock'))).toEqual([]);
  }
});

test('the front that crontab started is the front: it takes up, pauses, and gives way', async () => {
  const { head, mark } = await practiceHead('builtin');
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ":${String(portOf(service))}", gate: everyone}\n`,
  });
  const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder);
  await run('certs', 'make');
  await run('write');
  const line = /@reboot (.*)/.exec((await run('install', 'service', '--yes')).err.replace(/\n\s+/g, ' '))?.[1] ?? '';
  expect(line).toContain("'--written'");
  const child = spawn('sh', ['-c', `exec ${line}`], { stdio: ['ignore', 'ignore', 'pipe'] });
  await new Promise<void>((resolve) =>
    child.stderr.on('data', (text: Buffer) => text.includes('Serving') && resolve()),
  );
  const marked = (): Promise<string> =>
    fetch(`http://127.0.0.1:${String(mark)}/mark`, { headers: { connection: 'close' } }).then((answer) =>
      answer.text(),
    );
  for (const [argv, edition] of [
    [['pause', 'nestcam'], 'nothing'],
    [['install', '--yes', '--no-rehearsal'], 'edition 0002'],
    [['resume', 'nestcam'], 'edition 0003'],
    [['undo', 'front', '--yes'], 'edition 0002'],
  ] as const) {
    const ran = await run(...argv);
    expect([argv, ran.code, ran.err]).toEqual([argv, 0, expect.not.stringMatching(/taken|did not work/)]);
    if (edition !== 'nothing') expect(await marked()).toContain(edition);
  }
  child.kill('SIGTERM');
  await once(child, 'exit');
});

test('a harmless warning of httpd is not quoted as the cause', () => {
  const warned = `AH00558: apache2: Could not reliably determine the server's fully qualified domain name\n[Tue Dec 01 20:00:00 2026] [alias:warn] AH00671: overlaps\nAH00112: Warning: DocumentRoot [/nope] does not exist\n`;
  expect(
    reasonIn(
      `${warned}AH00526: Syntax error on line 3 of /etc/apache2/ports.conf:\nCannot define multiple Listeners\n`,
    ),
  ).toBe('Cannot define multiple Listeners (/etc/apache2/ports.conf:3)');
  expect(
    reasonIn(`${warned}(98)Address already in use: AH00072: make_sock: could not bind to address [::]:80\n`),
  ).toContain('could not bind');
});

test('the servers are there', () => {
  expect([nginxProgram(), program].every((path) => path !== '')).toBe(true);
});

test('the mark is not believed from another user, who listens there under the name of the server', async () => {
  const at = await place();
  expect((await at.install()).code).toBe(0);
  const said = await fetch(`http://127.0.0.1:${String(at.markPort)}/mark`, { headers: { connection: 'close' } });
  const words = await said.text();
  await at.stop();
  const liar = `process.title = 'nginx'; require('node:http').createServer((_, answer) => answer.end(${JSON.stringify(words)})).listen(${String(at.markPort)}, '127.0.0.1', () => console.log('listening'))`;
  const child = spawn(process.execPath, ['-e', liar], {
    uid: 65534,
    gid: 65534,
    cwd: '/',
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  await once(child.stdout, 'data');
  try {
    expect(await at.mark()).toBe('edition 0001');
    const installed = await at.run('check', '--installed');
    expect([installed.code, installed.out]).toEqual([1, expect.stringContaining('nginx does not answer')]);
    expect((await at.run('check')).out.replace(/\s+/g, ' ')).toMatch(
      /of the user 65534 listens on port \d+ of this machine, on which the front answers its mark/,
    );
    expect((await at.run('editions')).out).not.toContain('live now');
    expect((await at.install()).code).not.toBe(0);
  } finally {
    child.kill();
    await once(child, 'exit');
  }
});

test('what is live and reaches nothing is no success', async () => {
  const at = await place();
  writeFileSync(
    join(at.folder, 'mile-marker.yaml'),
    readFileSync(join(at.folder, 'mile-marker.yaml'), 'utf8').replace(/to: ":\d+"/, 'to: ":9"'),
  );
  const ran = await at.install();
  expect([ran.code, ran.err]).toEqual([1, expect.stringContaining('0 of 1 road works')]);
});
