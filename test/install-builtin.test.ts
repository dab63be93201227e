import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { join } from 'node:path';
import tls from 'node:tls';
import { upgradeTo } from '../src/core/rehearsal/sent.ts';
import { startStandIn, type StandIn } from '../src/adapters/rehearsal/stand-in.ts';
import { end } from './support/background.ts';
import { folderWith, mileMarker, type Ran } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** The builtin front in the background, as a process of its own; units of systemd have a machine of their own (systemd.test.ts). */

let service: StandIn;
const folders: string[] = [];
beforeAll(async () => {
  service = await startStandIn('nestcam');
});
afterEach(async () => {
  for (const folder of folders.splice(0)) end(folder);
});
afterAll(() => service.stop());

async function next(socket: net.Socket): Promise<Buffer> {
  const [bytes] = (await once(socket, 'data')) as [Buffer];
  return bytes;
}

async function place(): Promise<{
  folder: string;
  https: number;
  mark: () => Promise<string>;
  say: (more?: string) => void;
  run: (...argv: string[]) => Promise<Ran>;
}> {
  const { head, mark, https } = await practiceHead('builtin');
  const folder = folderWith();
  folders.push(folder);
  const say = (more = ''): void =>
    writeFileSync(
      join(folder, 'mile-marker.yaml'),
      `${head}roads:\n  nestcam: {to: ":${String(service.port)}", gate: everyone}\n${more}`,
    );
  say();
  const ask = (): Promise<string> =>
    fetch(`http://127.0.0.1:${String(mark)}/mark`, { headers: { connection: 'close' } })
      .then((answer) => answer.text())
      .then((text) => text.slice(0, 12))
      .catch(() => 'nothing');
  return { folder, https, say, mark: ask, run: (...argv) => mileMarker(argv, folder) };
}

const more = '  roster: {redirect: "https://nestcam.saltmarsh.example", gate: everyone}\n';

test('goes live in the background, takes up what changes without losing anybody, and goes back', async () => {
  const at = await place();
  await at.run('certs', 'make');
  const first = await at.run('install', '--yes');
  expect([first.code, first.err, await at.mark()]).toEqual([
    0,
    expect.stringMatching(/Rehearsed [^]*all\s+as\s+planned[^]*Edition 0001 is live\. [^]*1 of 1 road works/),
    'edition 0001',
  ]);
  const pid = readFileSync(join(at.folder, '.mile-marker/serve.json'), 'utf8');
  const live = tls.connect({
    host: '127.0.0.1',
    port: at.https,
    servername: 'nestcam.saltmarsh.example',
    rejectUnauthorized: false,
  });
  const lines = upgradeTo('websocket').map(([name, value]) => `${name}: ${value}\r\n`);
  live.write(`GET / HTTP/1.1\r\nHost: nestcam.saltmarsh.example:${String(at.https)}\r\n${lines.join('')}\r\n`);
  expect(String(await next(live))).toContain('101 Switching Protocols');
  at.say(more);
  await at.run('certs', 'make');
  expect((await at.run('install', '--yes', '--no-rehearsal')).err).toContain('Edition 0002 is live');
  expect(readFileSync(join(at.folder, '.mile-marker/serve.json'), 'utf8')).toBe(pid);
  live.write('still there?');
  expect(String(await next(live))).toBe('still there?');
  live.destroy();
  expect((await at.run('pause', 'roster')).err).toMatch(
    /get 503 now \(edition 0003 is live\)\.\nnext: to open it again/,
  );
  expect((await at.run('undo', 'front', '1', '--yes')).err).toContain('Live now: edition 0001');
  expect(await at.mark()).toBe('edition 0001');

  // Killed, it is started again by the next installation.
  end(at.folder);
  await gone(at.mark);
  expect((await at.run('install', '--yes', '--no-rehearsal')).err).toContain('is live');
  // The map may say another proxy by now: what goes is what was brought live.
  const map = join(at.folder, 'mile-marker.yaml');
  writeFileSync(map, readFileSync(map, 'utf8').replace('proxy: builtin', 'proxy: nginx'));
  for (let left = 5; left > 0 && (await at.mark()) !== 'nothing'; left -= 1)
    expect((await at.run('undo', 'front', '--yes')).code).toBe(0);
  expect(await at.mark()).toBe('nothing');
});

async function gone(mark: () => Promise<string>): Promise<void> {
  for (let tries = 0; tries < 100 && (await mark()) !== 'nothing'; tries += 1)
    await new Promise((resolve) => setTimeout(resolve, 50));
}

test('a port that somebody else has: nothing of it goes live, and why is said', async () => {
  const at = await place();
  await at.run('certs', 'make');
  const taken = net.createServer().listen(at.https, '127.0.0.1');
  await once(taken, 'listening');
  const ran = await at.run('install', '--yes', '--no-rehearsal', '--despite', 'front-port-taken');
  expect([ran.code, ran.err]).toEqual([
    3,
    expect.stringMatching(/Cannot listen on 127\.0\.0\.1 port \d+[^]*Live now: nothing of this map, as before/),
  ]);
  taken.close();
});

test('without systemd the line for cron is shown', async () => {
  const at = await place();
  const none = await at.run('install', 'service', '--yes');
  expect([none.code, none.err]).toEqual([
    3,
    expect.stringMatching(/systemd does not run here[^]*@reboot .*'--written'/),
  ]);
  // Its ports are high ones.
  expect(none.err.includes('the front runs as root, with none of root’s rights.\n')).toBe(process.getuid?.() === 0);
});
