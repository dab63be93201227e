import { proxyNames } from '../src/core/proxies/names.ts';
import { writeFileSync } from 'node:fs';
import { FourServers } from './support/four-servers.ts';
import type { ProxyName } from './support/fronts.ts';
import { someOf } from './support/some-of.ts';
import type { Ran } from './support/program.ts';

/** From each of the four proxies to each other one, and back, on real servers with real ports. */

let machine: FourServers;
beforeAll(async () => {
  machine = await FourServers.start();
  writeFileSync(machine.map, map('first'));
  expect(await machine.run(['certs', 'make'])).toMatchObject({ code: 0 });
});
afterAll(() => machine.stop());

const proxies = proxyNames;
const patience = { MILE_MARKER_PATIENCE: '10' };

function map(state: string): string {
  const road = (port: number): string =>
    `{to: ":${String(port)}", gate: everyone, response-headers: {X-State: "${state}"}}`;
  return `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: builtin, home-networks: [127.0.0.0/8]}
engine: none
roads:
  log: ${road(9001)}
  tides: ${road(9002)}
`;
}

let live: ProxyName | null = null;

/** As a person does it: what httpd would keep listening by is switched off in the step that the message names. */
async function install(proxy: ProxyName): Promise<Ran> {
  const ports = live === 'httpd' && proxy !== 'httpd' ? ['--replace', '/etc/apache2/ports.conf'] : [];
  const argv = ['install', '--yes', '--no-rehearsal', '--proxy', proxy, ...ports];
  const ran = await machine.run(argv, { env: patience });
  if (ran.code === 0) live = proxy;
  return ran;
}

/** Rights, owner, time and names of every file of others that is as it was, and the bytes of all. */
async function foreign(): Promise<string> {
  const all = 'cd /etc && find nginx apache2 haproxy default -type f -o -type l | sort';
  const { out } = await machine.sh(
    `${all} | grep -v mile-marker | xargs grep -L 'Switched off by' | xargs stat -c "%n %a %U %Y %h"; ${all} | xargs sha256sum`,
  );
  return out;
}

const moves = proxies.flatMap((from) => proxies.filter((to) => to !== from).map((to) => [from, to] as const));

// `npm run thorough` goes every way.
test.each(someOf(moves, 6))('from %s to %s and back, with every file of others as it was', async (from, to) => {
  expect(await install(from)).toMatchObject({ code: 0 });
  const before = await foreign();
  const moved = await install(to);
  expect([moved.code, moved.err]).toEqual([0, expect.stringContaining('is live')]);
  expect([await machine.ask('log'), await machine.ask('tides')]).toEqual(['200 first', '200 first']);
  expect((await machine.run(['check', '--installed', '--proxy', to])).out).not.toMatch(/^(error|warning)/m);
  const back = await machine.run(['undo', 'front', '--yes'], { env: patience });
  expect([back.code, back.err]).toEqual([0, expect.stringContaining('Live now')]);
  expect([await machine.ask('log'), await machine.ask('tides')]).toEqual(['200 first', '200 first']);
  expect(await foreign()).toBe(before);
  live = from;
});

test('what keeps the ports is said before anything is touched, with the step that switches it off', async () => {
  expect(await install('httpd')).toMatchObject({ code: 0 });
  const before = await foreign();
  const said = await machine.run(['install', '--yes', '--no-rehearsal', '--proxy', 'nginx']);
  expect([said.code, said.err]).toEqual([
    3,
    expect.stringMatching(/httpd would keep listening[^]*install --replace \/etc\/apache2\/ports\.conf/),
  ]);
  expect([await foreign(), await machine.ask('log')]).toEqual([before, '200 first']);
});
