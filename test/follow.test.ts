import { execFile, type ChildProcessWithoutNullStreams } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { editionsIn } from '../src/adapters/files/editions.ts';
import type { FrontEntry } from '../src/core/live/entries.ts';
import { shortened } from '../src/core/live/front-journal.ts';
import { stateOf } from '../src/core/live/state.ts';
import { changesBetween } from '../src/core/follow/changes.ts';
import { writeFound } from '../src/adapters/files/found.ts';
import { tryLock } from '../src/adapters/files/lock.ts';
import { statePaths } from '../src/adapters/files/state-folder.ts';
import { FoundSource } from '../src/use-cases/follow/found-source.ts';
import { Rounds } from '../src/use-cases/follow/rounds.ts';
import { end } from './support/background.ts';
import { MadeEngine } from './support/made-engine.ts';
import { freePorts, listening } from './support/ports.ts';
import { folderWith, launch, mileMarker, mileMarkerProcess, stop } from './support/program.ts';
import { practiceHead } from './support/site.ts';
import { plannedOf } from './support/plan.ts';

/** `follow`: containers that come, move, stop and go, an engine that restarts, a map that is edited; by the front that runs. */

const ends: Array<() => unknown> = [];
afterEach(async () => {
  for (const one of ends.splice(0).reverse()) await one();
});

/** A service that says its own name, at an address as a container has one. */
async function answering(name: string, address: string, port: number): Promise<void> {
  const server = await listening(
    http.createServer((_, response) => response.end(name)),
    port,
    address,
  );
  ends.push(() => {
    server.closeAllConnections();
    server.close();
  });
}

interface Followed {
  folder: string;
  engine: MadeEngine;
  child: ChildProcessWithoutNullStreams;
  map: (text: string) => void;
  /** Until it has said this, after all that it was awaited for before. */
  until: (words: string | RegExp) => Promise<void>;
  log: () => string;
  ask: (name: string) => Promise<string>;
  editions: () => Promise<number>;
}

const labelOf = (text: string): Record<string, string> => ({ 'mile-marker.road': text });

/** A builtin front that is live, with one road to a container, and `follow` beside it. */
async function followed(port: number, ...argv: string[]): Promise<Followed> {
  const folder = folderWith();
  const engine = new MadeEngine(join(folder, 'engine.sock'));
  await engine.start();
  ends.push(() => engine.stop());
  const { head, https } = await practiceHead('builtin', `engine: unix://${engine.socket}\n`);
  const map = (roads: string): void =>
    writeFileSync(join(folder, 'mile-marker.yaml'), `${head}labels: {obey: lab.saltmarsh.example}\nroads:\n${roads}`);
  map(`  tides: tides:${String(port)}\n`);
  await answering('tides', '127.0.7.1', port);
  engine.put({ name: 'tides', address: '127.0.7.1', port });
  await mileMarker(['certs', 'make'], folder);
  const installed = await mileMarkerProcess(
    ['install', '--yes', '--no-rehearsal', '--despite', 'port-not-published'],
    folder,
  );
  expect(installed.err).toContain('Edition 0001 is live');
  ends.push(() => end(folder));
  const child = launch(['follow', ...argv], folder);
  ends.push(() => stop(child));
  let said = '';
  let seen = 0;
  let wake = (): void => undefined;
  child.stderr.setEncoding('utf8').on('data', (text: string) => {
    said += text;
    wake();
  });
  child.once('close', () => wake());
  const until = async (words: string | RegExp): Promise<void> => {
    const pattern = typeof words === 'string' ? new RegExp(words.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')) : words;
    for (;;) {
      const found = pattern.exec(said.slice(seen));
      if (found !== null) {
        seen += found.index + found[0].length;
        return;
      }
      if (child.exitCode !== null) throw new Error(`ended without saying ${String(words)}: ${said}`);
      await new Promise<void>((resolve) => (wake = resolve));
    }
  };
  const ask = (name: string): Promise<string> => {
    const argv = ['-sk', '--max-time', '20', '-w', ' %{http_code}', '--resolve', `${name}:${String(https)}:127.0.0.1`];
    return new Promise((resolve) =>
      execFile('curl', [...argv, `https://${name}:${String(https)}/`], (_, out) => resolve(out)),
    );
  };
  const editions = async (): Promise<number> => (await editionsIn(join(folder, '.mile-marker/front'))).length;
  return { folder, engine, child, map, until, log: () => said, ask, editions };
}

test('containers come, move, stop and go, and the front does so too, without a line in the map', async () => {
  const [port = 0] = await freePorts(1);
  const { engine, until, ask, folder, editions, child, log } = await followed(port);
  await until('1 road: edition 0002 is live');
  expect(await ask('tides.saltmarsh.example')).toBe('tides 200');
  await answering('moths', '127.0.7.2', port);
  engine.put({ name: 'moths', address: '127.0.7.2', port, labels: labelOf('{name: moths.lab.saltmarsh.example}') });
  await until('moths.lab.saltmarsh.example: new, leads to moths at 127.0.7.2');
  expect(await ask('moths.lab.saltmarsh.example')).toBe('moths 200');
  // Somebody else's name, and a door that the map opens to nobody by a label.
  engine.put({ name: 'cuckoo', address: '127.0.7.2', port, labels: labelOf('{name: tides, gate: everyone}') });
  await until('`cuckoo` asks for a road at tides.saltmarsh.example, which is on the map already');
  engine.put({
    name: 'open',
    address: '127.0.7.2',
    port,
    labels: labelOf('{name: x.lab.saltmarsh.example, gate: everyone}'),
  });
  await until('`open` asks for the gate `everyone`, which the map lets no label have.');
  expect(await ask('tides.saltmarsh.example')).toBe('tides 200');

  await answering('tides moved', '127.0.7.3', port);
  engine.put({ name: 'tides', address: '127.0.7.3', port });
  await until('tides.saltmarsh.example: now leads to tides at 127.0.7.3');
  expect(await ask('tides.saltmarsh.example')).toBe('tides moved 200');
  engine.put({ name: 'tides', address: null, port }, 'die');
  await until('tides.saltmarsh.example: leads nowhere, so visitors get 502 (tides does not run)');
  expect(await ask('tides.saltmarsh.example')).toMatch(/ 502$/);
  engine.put({ name: 'tides', address: '127.0.7.1', port });
  await until('leads to tides at 127.0.7.1:');
  engine.remove('moths');
  await until('moths.lab.saltmarsh.example: gone');

  // What changes nothing for visitors makes no edition; a thousand containers at once are one.
  const before = await editions();
  engine.inspected = 0;
  for (let one = 0; one < 1000; one += 1)
    engine.put({
      name: `egg${String(one)}`,
      address: '127.0.7.2',
      port,
      ...(one % 20 === 0 ? { labels: labelOf(`{name: egg${String(one)}.lab.saltmarsh.example}`) } : {}),
    });
  for (let one = 0; one < 200; one += 1) engine.tell('exec_start: true', 'tides');
  await until(/egg\d+\.lab[^]*and 30 roads more; edition \d+ is live/);
  expect([(await editions()) - before, engine.inspected]).toEqual([1, 1000]);
  expect(await ask('egg980.lab.saltmarsh.example')).toBe('moths 200');

  // Nobody keeps up with these addresses from now on.
  expect(existsSync(join(folder, '.mile-marker/following'))).toBe(true);
  expect(await stop(child, 'SIGTERM')).toBe(0);
  expect(log()).toMatch(/answer 502 until `follow` runs again: tides\.saltmarsh\.example,[^]* and 43 more/);
  expect(await ask('tides.saltmarsh.example')).toMatch(/ 502$/);
  expect(existsSync(join(folder, '.mile-marker/following'))).toBe(false);
});

test('an engine that goes, comes back, and answers oddly; a map that is broken and sound again', async () => {
  const [port = 0] = await freePorts(1);
  const { engine, until, ask, map } = await followed(port);
  await until('1 road');
  await engine.stop();
  await until(/cannot be reached at .* The roads stay as they are\./);
  expect(await ask('tides.saltmarsh.example')).toBe('tides 200');
  // What happened while nobody listened.
  engine.put({ name: 'moths', address: '127.0.7.1', port, labels: labelOf('name: moths.lab.saltmarsh.example') }, null);
  await engine.start();
  await until('moths.lab.saltmarsh.example: new');
  engine.odd = (path) => (path.endsWith('/json') ? { status: 200, body: '[{"Id": ' } : undefined);
  engine.tell('start', 'moths');
  await until(/does not seem to be a container engine: .* The roads stay as they are\./);
  engine.odd = () => undefined;
  engine.line('this is no event');
  await until('the container engine answers again');
  expect(await ask('moths.lab.saltmarsh.example')).toBe('tides 200');

  map(`  tides: tides:${String(port)}\n  log: nobody:80\n`);
  await until(/the map changed, but has 1 error; the map from before stays live\s+error {2}service-unknown/);
  map(`  tides: [\n`);
  await until('map-unreadable');
  engine.put({ name: 'moths', address: null, port, labels: labelOf('name: moths.lab.saltmarsh.example') }, 'die');
  await until('moths does not run');
  // What the map leads to may also come after its line.
  map(`  tides: tides:${String(port)}\n  log: nobody:${String(port)}\n`);
  await until('service-unknown');
  engine.put({ name: 'nobody', address: '127.0.7.1', port });
  await until('the map is valid again');
  await until('log.saltmarsh.example: new, leads to nobody');
  expect(await ask('log.saltmarsh.example')).toBe('tides 200');
});

test('an edit by command waits until it is live by itself, and says so', async () => {
  const [port = 0] = await freePorts(1);
  const { folder, until, engine } = await followed(port);
  await until('1 road: edition 0002 is live');
  await answering('tides', '127.0.0.1', port);
  engine.put({ name: 'tides', address: '127.0.7.1', port, published: port });
  await until(`leads to tides at 127.0.0.1:${String(port)}`);
  const { err, code } = await mileMarkerProcess(['set', 'tides', 'body-limit', '5MiB'], folder);
  expect([code, err.replace(/\s+/g, ' ')]).toEqual([
    0,
    expect.stringContaining('makes this live by itself. It is live.'),
  ]);
});

test('in two halves: the one with the socket writes down what it found, the other keeps the front by that alone', async () => {
  const [port = 0] = await freePorts(1);
  const { engine, until, ask, folder, editions } = await followed(port, '--half', 'front');
  // Until something is known the front goes on as it is.
  await until('The half of `follow` that asks the engine has written nothing yet.');
  expect(await ask('tides.saltmarsh.example')).toMatch(/ 502$/);
  expect(await editions()).toBe(1);
  const reader = launch(['follow', '--half', 'engine'], folder);
  ends.push(() => stop(reader));
  await until('1 road: ');
  expect(await ask('tides.saltmarsh.example')).toBe('tides 200');
  engine.put({ name: 'moths', address: '127.0.7.1', port, labels: labelOf('{name: moths.lab.saltmarsh.example}') });
  await until('moths.lab.saltmarsh.example: new');
  expect(await ask('moths.lab.saltmarsh.example')).toBe('tides 200');
  // Whoever could write there must not have the front read anything but what an engine says.
  const found = join(folder, '.mile-marker/found.json');
  writeFileSync(found, readFileSync(found, 'utf8').replace('"facts":', '"more":'));
  await until('has written nothing yet. The roads stay as they are.');
  expect(await ask('moths.lab.saltmarsh.example')).toBe('tides 200');
  expect((await mileMarkerProcess(['follow'], folder)).err).toContain('is already running for this map');
});

test('where nothing was installed there is nothing to keep up to date', async () => {
  const { head } = await practiceHead();
  const folder = folderWith({ 'mile-marker.yaml': `${head}engine: none\nroads: {log: ":9"}\n` });
  const ran = await mileMarker(['follow'], folder);
  expect([ran.code, ran.err]).toEqual([2, expect.stringContaining('Make it live once: mile-marker install')]);
});

test('the same work again for all news: once for a burst, never two at a time, and from time to time without any', async () => {
  const stopped = new AbortController();
  let running = 0;
  const done: string[] = [];
  let doubted = false;
  const rounds = new Rounds(
    async () => {
      running += 1;
      expect(running).toBe(1);
      done.push(doubted ? 'compared' : 'news');
      if (done.length === 1) for (let one = 0; one < 50; one += 1) rounds.news();
      if (done.length === 3) stopped.abort();
      await Promise.resolve();
      running -= 1;
    },
    { quiet: 5, most: 20, compare: 60 },
  );
  await rounds.run(stopped.signal, () => (doubted = true));
  // Fifty at once were one; a machine that stood still in between may have compared by then.
  expect([done.length, done[0], done[2]]).toEqual([3, 'news', 'compared']);
});

test('what another plan does otherwise is said of each road', () => {
  const head = 'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\n';
  const before = plannedOf(`${head}roads: {log: ":9", roster: ":8", www: {redirect: "https://a.example"}}`).plan;
  const after = plannedOf(`${head}roads: {log: ":9", roster: {to: ":8", gate: everyone}, tides: ":7"}`).plan;
  expect(changesBetween(before, before)).toEqual([]);
  expect(changesBetween(before, after, new Map([['tides.saltmarsh.example', 'tide-tables']]))).toEqual([
    { road: 'www.saltmarsh.example', kind: 'gone' },
    { road: 'roster.saltmarsh.example', kind: 'changed' },
    { road: 'tides.saltmarsh.example', kind: 'new', to: '127.0.0.1:7', fromLabel: 'tide-tables' },
  ]);
});

test('the journal of a front that is followed for months stays short, and still says what runs and what to put back', () => {
  const at = '2026-11-30T00:00:00Z';
  const change = (to: number): FrontEntry[] => [
    { event: 'prepared', at, edition: to, digest: 'd' },
    {
      ...{ event: 'installing', at, from: to - 1, to, include: to === 1 ? '/etc/nginx/conf.d/x.conf' : null },
      ...{ proxy: 'nginx', mark: { address: '127.0.0.1', port: 29180 } },
      replaced: to === 3 ? [{ path: '/etc/nginx/sites-enabled/old', kept: '/state/old', link: null }] : [],
    },
    { event: 'switched', at, edition: to, digest: 'd' },
    { event: 'reloaded', at, edition: to },
    { event: 'confirmed', at, edition: to, tested: false },
  ];
  const entries = Array.from({ length: 900 }, (_, index) => change(index + 1)).flat();
  expect(shortened(entries.slice(0, 2000))).toBe(null);
  const shorter = shortened(entries) ?? [];
  expect(shorter.length).toBeLessThan(1010);
  expect(stateOf(shorter)).toEqual(stateOf(entries));
  // In the midst of an installation its beginning stays.
  const midst = entries.slice(0, -1);
  expect(stateOf(shortened(midst) ?? [])).toEqual(stateOf(midst));
});

describe('containers of others', () => {
  const ofCompose = (project: string, service: string, number = '1'): Record<string, string> => ({
    'com.docker.compose.project': project,
    'com.docker.compose.service': service,
    'com.docker.compose.container-number': number,
  });

  test('an image that calls itself a service gets nothing of it, nor a road by a label of its own', async () => {
    const [port = 0] = await freePorts(1);
    const { engine, until, ask, map } = await followed(port);
    await until('edition 0002 is live');
    await answering('right', '127.0.7.4', port);
    await answering('wrong', '127.0.7.5', port);
    engine.put({
      name: 'marsh-log-1',
      address: '127.0.7.4',
      port,
      labels: ofCompose('marsh', 'log'),
      made: '2026-11-30T10:00:00Z',
    });
    map(`  tides: tides:${String(port)}\n  log: marsh/log:${String(port)}\n`);
    await until('log.saltmarsh.example: new');
    for (const [name, ofImage, labels] of [
      ['image', { ...ofCompose('marsh', 'log', '2'), 'mile-marker.road': '{name: x.lab.saltmarsh.example}' }, {}],
      ['number', {}, ofCompose('marsh', 'log')],
      ['odd', {}, ofCompose('marsh', 'log\u001b[2J')],
    ] as const)
      engine.put({ name, address: '127.0.7.5', port, ofImage, labels, made: '2026-12-01T10:00:00Z' });
    // What is told after them has been seen after them.
    engine.put({ name: 'last', address: '127.0.7.1', port, labels: labelOf('{name: last.lab.saltmarsh.example}') });
    await until('last.lab.saltmarsh.example: new');
    for (let times = 0; times < 6; times += 1) expect(await ask('log.saltmarsh.example')).toBe('right 200');
    expect(await ask('x.lab.saltmarsh.example')).not.toContain('wrong');
  });

  test('another project with a service of the same name takes no road off the air', async () => {
    const [port = 0] = await freePorts(1);
    const { engine, until, ask, map, folder } = await followed(port);
    await until('edition 0002 is live');
    await answering('right', '127.0.7.4', port);
    await answering('wrong', '127.0.7.5', port);
    engine.put({ name: 'marsh-log-1', address: '127.0.7.4', port, labels: ofCompose('marsh', 'log') });
    map(`  tides: tides:${String(port)}\n  log: log:${String(port)}\n`);
    await until('log.saltmarsh.example: new');
    engine.put({
      name: 'aaa-log-1',
      address: '127.0.7.5',
      port,
      labels: ofCompose('aaa', 'log'),
      made: '2026-12-01T10:00:00Z',
    });
    engine.put({ name: 'last', address: '127.0.7.1', port, labels: labelOf('{name: last.lab.saltmarsh.example}') });
    await until('last.lab.saltmarsh.example: new');
    expect(await ask('log.saltmarsh.example')).toBe('right 200');
    const checked = await mileMarker(['check'], folder);
    expect(checked.out.replace(/\s+/g, ' ')).toContain(
      'Another project has a service called `log`, too: aaa. The road stays with marsh. do: Write the full name: `marsh/log:',
    );
  });

  test('a name stays with the one that has it while that is made anew', async () => {
    const [port = 0] = await freePorts(1);
    const { engine, until, ask } = await followed(port);
    await until('edition 0002 is live');
    await answering('right', '127.0.7.4', port);
    await answering('wrong', '127.0.7.5', port);
    const label = labelOf('{name: moths.lab.saltmarsh.example}');
    engine.put({ name: 'moths', address: '127.0.7.4', port, labels: label });
    await until('moths.lab.saltmarsh.example: new');
    engine.put({ name: 'greedy', address: '127.0.7.5', port, labels: label, made: '2026-12-01T09:00:00Z' });
    await until('greedy');
    engine.remove('moths');
    await until('moths.lab.saltmarsh.example: gone');
    expect(await ask('moths.lab.saltmarsh.example')).not.toContain('wrong');
    engine.put({ name: 'moths', address: '127.0.7.4', port, labels: label, made: '2026-12-01T10:00:00Z' });
    await until('moths.lab.saltmarsh.example: new');
    expect(await ask('moths.lab.saltmarsh.example')).toBe('right 200');
  });

  test('one 404 of the engine is an engine that is away, and nothing ends', async () => {
    const [port = 0] = await freePorts(1);
    const { engine, until, ask, child } = await followed(port);
    await until('edition 0002 is live');
    engine.odd = (path) => (path === '/networks' ? { status: 404, body: '{}' } : undefined);
    engine.tell('start', 'tides');
    await until('does not seem to be a container engine');
    expect([await ask('tides.saltmarsh.example'), child.exitCode]).toEqual(['tides 200', null]);
    engine.odd = () => undefined;
    engine.tell('start', 'tides');
    await until('the container engine answers again');
  });
});

test('the half that keeps the front notices that the other one has gone', async () => {
  const folder = folderWith();
  const found = join(folder, 'found.json');
  const finding = join(folder, 'finding');
  const source = new FoundSource(found, finding);
  await writeFound(found, { at: '2026-12-01T10:00:00Z', engines: { '': { facts: null, trouble: null } } });
  const letGo = await tryLock(
    statePaths(join(folder, 'mile-marker.yaml')),
    'mile-marker follow --half engine',
    finding,
  );
  expect((await source.read()).engine?.trouble).toBeNull();
  await letGo?.();
  expect((await source.read()).engine?.trouble?.message).toContain('is not running');
});
