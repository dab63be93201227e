import { chmod, mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { handshake } from '../adapters/probe/handshake.ts';
import { proxyUser } from '../adapters/host/file-user.ts';
import type { OwnConfig } from '../adapters/proxies/adapter.ts';
import { adapterOf } from '../adapters/proxies/adapters.ts';
import { installedBuiltin } from '../adapters/proxies/builtin/installed.ts';
import { waitForMark } from '../adapters/processes/wait-for-mark.ts';
import { covers } from '../core/certificates/cover.ts';
import type { ProxyName } from '../core/proxies/names.ts';
import { startAuthority } from './authority.ts';
import { startDns } from './dns.ts';
import { startEngine } from './engine.ts';
import { startNameService } from './name-service.ts';
import { demoCompose, demoMap, demoNames, demoTroubles, hutMap, hutName, type DemoPorts } from './scenario.ts';
import { freePort, startServices } from './services.ts';

interface DemoInput {
  proxy: ProxyName;
  keep: boolean;
  env: Readonly<Record<string, string | undefined>>;
  signal: AbortSignal;
  say: (text: string) => void;
  /** Runs one command line of the program in `cwd` until it ends or `signal` is aborted. Returns its exit code and what it printed. */
  command: (
    argv: string[],
    options: { cwd: string; signal: AbortSignal; quiet: () => boolean },
  ) => Promise<{ code: number; out: string }>;
}

/**
 * Runs the whole way on made-up data: map, certificates, check, write, a running front, verify. Everything it starts is
 * stopped and everything it writes is removed, however it ends.
 *
 * @returns whether the troubles that were found are those that the scenario has
 */
export async function runDemo(input: DemoInput): Promise<boolean> {
  const cleanups: Array<() => Promise<unknown>> = [];
  try {
    return await play(input, cleanups);
  } finally {
    for (const cleanup of cleanups.reverse()) await cleanup();
  }
}

type Cleanups = Array<() => Promise<unknown>>;

async function play(input: DemoInput, cleanups: Cleanups): Promise<boolean> {
  const { proxy, say, signal } = input;
  const folder = await mkdtemp(join(tmpdir(), 'mile-marker-demo-'));
  cleanups.push(() => rm(folder, { recursive: true, force: true }));
  // A server started by root answers challenges as another user, who must get through.
  await chmod(folder, 0o711);
  const services = await startServices();
  cleanups.push(services.stop);
  const records = new Map(demoNames.map((name) => [name, '127.0.0.1']));
  const dns = await startDns({ domains: ['saltmarsh.example', 'reedbed.example'], records });
  cleanups.push(dns.stop);
  const engine = await startEngine(join(folder, 'engine.sock'), services.ports);
  cleanups.push(engine.stop);
  const ports = {
    http: await freePort(8080),
    https: await freePort(8443),
    mark: await freePort(29180),
    services: services.ports,
  };
  const authority = await startAuthority({ httpPort: ports.http });
  cleanups.push(authority.stop);
  await writeFile(
    join(folder, 'mile-marker.yaml'),
    demoMap({ ports, proxy, engine: `unix://${join(folder, 'engine.sock')}`, authority: authority.directory }),
  );
  await writeFile(join(folder, 'authority-root.pem'), authority.root);
  await writeFile(join(folder, 'compose.yaml'), demoCompose(ports.services));
  say('The salt-marsh observatory, made up and on this machine only.\n');
  const run = (argv: string[]) => shownCommand(input, argv, folder);
  for (const argv of [
    ['survey'],
    ['roads'],
    ['people', 'add', 'edda', '--generate'],
    ['explain', '--all'],
    ['explain', 'roster'],
    ['certs', 'make'],
    ['check'],
    ['rehearse'],
    // What another server program is to read, is written first; the builtin front is brought live whole.
    ...(adapterOf(proxy) === null ? [] : [['write']]),
  ]) {
    await run(argv);
    if (signal.aborted) return false;
  }
  await startFront({ input, folder, ports, cleanups });
  const adapter = adapterOf(proxy);
  const reload = adapter === null ? [] : adapter.reloadWords(await adapter.find(input.env), ownOf(folder));
  await run(['certs', 'obtain', ...reload.flatMap((word) => ['--then', word])]);
  if (signal.aborted) return false;
  await untilShown({ port: ports.https, signal });
  await run(['certs']);
  const resolver = `127.0.0.1:${String(dns.port)}`;
  for (const argv of [
    ['dns', 'records'],
    ['dns', 'check', '--resolver', resolver],
  ])
    await run(argv);
  await moveHut({ input, folder, records, resolver, cleanups });
  const verify = ['verify', '--trust', 'authority-root.pem', '--resolver', resolver];
  await run(verify);
  const judged = await input.command([...verify, '--json'], { cwd: folder, signal, quiet: () => true });
  if (signal.aborted) return false;
  const found = foundTroubles(judged.out);
  const fits = sayTroubles(say, found);
  if (input.keep) await keepRunning({ input, folder, ports, resolver: dns.port });
  return fits;
}

interface HutInput {
  input: DemoInput;
  folder: string;
  records: Map<string, string>;
  resolver: string;
  cleanups: Cleanups;
}

/** The other place of the observatory has an address that changes, and a name service that takes no signed updates. */
async function moveHut({ input, folder, records, resolver, cleanups }: HutInput): Promise<void> {
  const login = { name: hutName, user: 'marsh', password: 'tern over the spit' };
  const service = await startNameService({ records, dynamic: login, token: { zone: 'none', secret: 'none' } });
  cleanups.push(service.stop);
  records.set(hutName, '198.51.100.7');
  await mkdir(join(folder, 'hut'));
  await writeFile(join(folder, 'hut', 'mile-marker.yaml'), hutMap(service.url));
  await writeFile(join(folder, 'hut', 'hut.login'), `${login.user}:${login.password}\n`, { mode: 0o600 });
  input.say('\nThe hut in the reeds is at an address that changes, by a service that keeps its name.\n');
  const update = ['dns', 'update-address', '--map', 'hut/mile-marker.yaml', '--resolver', resolver];
  for (const argv of [update, update]) await shownCommand(input, argv, folder);
}

async function shownCommand({ say, command, signal }: DemoInput, argv: string[], cwd: string): Promise<void> {
  say(`\n$ mile-marker ${argv.join(' ')}\n`);
  await command(argv, { cwd, signal, quiet: () => false });
}

interface Started {
  input: DemoInput;
  folder: string;
  ports: DemoPorts;
}

async function startFront({ input, folder, ports, cleanups }: Started & { cleanups: Cleanups }): Promise<void> {
  const { proxy, env, signal, say } = input;
  const adapter = adapterOf(proxy);
  if (adapter === null) {
    cleanups.push(() => endFront(folder));
    await shownCommand(input, ['install', '--yes'], folder);
    return;
  }
  const current = join(folder, '.mile-marker', 'front', 'current');
  const mark = (await readFile(join(current, 'mark.txt'), 'utf8')).split('\n')[0] ?? '';
  const config = configOf(folder);
  // The one that may read the password file, see `people add`.
  const user = proxyUser({ proxy, container: null })?.name ?? null;
  await writeFile(config, adapter.standalone({ current, runFolder: folder, user }));
  say(`\n$ ${adapter.startWords(ownOf(folder)).join(' ')}\n`);
  const running = await adapter.start(await adapter.find(env), ownOf(folder));
  cleanups.push(running.stop);
  await waitForMark({ address: '127.0.0.1', port: ports.mark, mark, withinMs: 10_000, signal });
}

/** The front runs in the background, and ends with the demo, also when Ctrl-C ended that. Whichever edition it runs by then: who looked around may have made more live. */
const endFront = (folder: string): Promise<unknown> => installedBuiltin.stop(join(folder, 'mile-marker.yaml'));

const configOf = (folder: string): string => join(folder, 'server.conf');
const ownOf = (folder: string): OwnConfig => ({
  config: configOf(folder),
  current: join(folder, '.mile-marker', 'front', 'current'),
});

/** A reload is done when it is seen: it returns before the new certificate is shown. */
async function untilShown({ port, signal }: { port: number; signal: AbortSignal }): Promise<void> {
  const [name = ''] = demoNames;
  const trust = { given: [], practice: [] };
  for (let tries = 0; tries < 50; tries += 1) {
    const seen = await handshake({ address: '127.0.0.1', port, name, trust, timeoutMs: 2000, signal });
    if (seen.ok && covers(seen.value.leaf.dnsNames, name)) return;
    await pause(100, undefined, { signal }).catch(() => undefined);
  }
}

/** Errors and warnings with their roads, one a line, in a fixed order. */
function foundTroubles(json: string): string[] {
  const { findings } = JSON.parse(json) as { findings: Array<{ rule: string; severity: string; roads: string[] }> };
  const bad = findings.filter(({ severity }) => severity !== 'note');
  return bad.map(({ rule, roads }) => `${rule} ${roads.join(' ')}`).sort();
}

/** Returns whether they are exactly those of the scenario, each on its road. */
function sayTroubles(say: DemoInput['say'], found: readonly string[]): boolean {
  say('\nWrong on purpose in this demo:\n');
  for (const { road, story } of demoTroubles) say(`  ${road.padEnd(30)} ${story}\n`);
  const meant = demoTroubles.map(({ rule, road }) => `${rule} ${road}`).sort();
  const fits = found.join('\n') === meant.join('\n');
  if (fits) say('Verify found just these.\n');
  else say(`Verify found something else, which is a mistake in Mile Marker:\n  ${found.join('\n  ')}\n`);
  return fits;
}

async function keepRunning({ input, folder, ports, resolver }: Started & { resolver: number }): Promise<void> {
  const { say, signal } = input;
  const host = 'nestcam.saltmarsh.example';
  say(`\nIt goes on running until Ctrl-C. The map is ${folder}/mile-marker.yaml\n`);
  say(
    `  curl --cacert ${folder}/authority-root.pem --resolve ${host}:${String(ports.https)}:127.0.0.1 https://${host}:${String(ports.https)}/\n`,
  );
  say(
    `  mile-marker verify --map ${folder}/mile-marker.yaml --trust ${folder}/authority-root.pem --resolver 127.0.0.1:${String(resolver)}\n`,
  );
  await new Promise<void>((resolve) => {
    if (signal.aborted) resolve();
    else signal.addEventListener('abort', () => resolve(), { once: true });
  });
  say('\nStopping everything.\n');
}
