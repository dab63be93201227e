import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { planPath, readPlan } from '../../src/core/proxies/builtin/renderer.ts';
import { haproxyFiles, standalone as haproxyAlone } from '../../src/core/proxies/haproxy/renderer.ts';
import { standalone as httpdAlone } from '../../src/core/proxies/httpd/renderer.ts';
import { nginxFiles, standalone } from '../../src/core/proxies/nginx/renderer.ts';
import type { Plan } from '../../src/core/plan/plan.ts';
import type { Placement, WrittenFile } from '../../src/core/proxies/renderer.ts';
import { launch, mileMarker, says, stop } from './program.ts';

export type ProxyName = 'builtin' | 'nginx' | 'httpd' | 'haproxy';

/** A front that runs the map of `folder`. */
export interface RunningFront {
  stop: () => Promise<void>;
  /** Has it read its files anew, as an administrator would: the builtin one is started again. nginx takes a moment after it. */
  reload: () => Promise<void>;
}

export function nginxProgram(): string {
  return serverProgram('nginx', 'nginx-light', ['/usr/sbin/nginx', '/usr/local/sbin/nginx', '/usr/bin/nginx']);
}

/** Some files are written otherwise for newer ones. */
export function nginxVersion(): string | null {
  return /nginx\/([\d.]+)/.exec(spawnSync(nginxProgram(), ['-v'], { encoding: 'utf8' }).stderr)?.[1] ?? null;
}

/** Folder of the servers of another release, which `npm run releases` names, or where packages put them. */
function serverProgram(name: string, pack: string, usual: readonly string[]): string {
  const other = process.env['OTHER_SERVERS'];
  const found = [...(other === undefined ? [] : [join(other, name)]), ...usual].find((path) => existsSync(path));
  if (found === undefined) throw new Error(`${name} is missing; install it with: apt-get install ${pack}`);
  return found;
}

/** Makes certificates, writes the files and starts the proxy that the map in `folder` names. @param crowds the files are those of a large map */
export async function startFront(folder: string, proxy: ProxyName, crowds = false): Promise<RunningFront> {
  await well(mileMarker(['certs', 'make'], folder));
  await well(mileMarker(['write'], folder));
  if (crowds) layOutInCrowds(join(folder, '.mile-marker/front/current'), proxy as CrowdedProxy);
  return runFront(folder, proxy);
}

/** Starts it with the files that are there. */
export function runFront(folder: string, proxy: ProxyName): Promise<RunningFront> {
  return { builtin: startBuiltin, nginx: startNginx, httpd: startHttpd, haproxy: startHaproxy }[proxy](folder);
}

/** Those that get other files for a large map; nginx in crowds of one, too. */
export type CrowdedProxy = 'nginx' | 'haproxy';
export const inCrowds: Record<CrowdedProxy, (plan: Plan, at: Placement) => WrittenFile[]> = {
  nginx: (plan, at) => nginxFiles(plan, at, 'crowds', 1),
  haproxy: (plan, at) => haproxyFiles(plan, at, true),
};

function layOutInCrowds(current: string, proxy: CrowdedProxy): void {
  const plan = readPlan(readFileSync(join(current, planPath), 'utf8'));
  if (plan === null) throw new Error('the written plan cannot be read');
  rmSync(join(current, 'roads'), { recursive: true, force: true });
  for (const name of readdirSync(current)) if (name.startsWith('road-')) rmSync(join(current, name));
  for (const { path, content, secret } of inCrowds[proxy](plan, { current, people: () => [] })) {
    // The people are the same.
    if (secret === true) continue;
    mkdirSync(dirname(join(current, path)), { recursive: true });
    writeFileSync(join(current, path), content);
  }
}

async function well(running: ReturnType<typeof mileMarker>): Promise<void> {
  const { code, out, err } = await running;
  if (code !== 0) throw new Error(`exit ${String(code)}: ${out}${err}`);
}

export async function startBuiltin(folder: string): Promise<RunningFront> {
  const start = async (): ReturnType<typeof launched> => launched(folder);
  let child = await start();
  const end = async (): Promise<void> => void (await stop(child, 'SIGTERM'));
  return {
    stop: end,
    reload: async () => {
      await end();
      child = await start();
    },
  };
}

async function launched(folder: string): Promise<ReturnType<typeof launch>> {
  const child = launch(['serve'], folder);
  await says(child, 'Serving');
  return child;
}

export async function startNginx(folder: string): Promise<RunningFront> {
  const config = join(folder, 'nginx.conf');
  writeFileSync(config, standalone({ current: join(folder, '.mile-marker/front/current'), runFolder: folder }));
  const child = spawn(nginxProgram(), ['-c', config, '-e', 'stderr', '-g', 'daemon off;'], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const closed = new Promise<void>((resolve) => child.once('close', () => resolve()));
  // It writes its pid file after it has bound its ports.
  for (
    let tries = 0;
    !existsSync(join(folder, 'nginx.pid')) || readFileSync(join(folder, 'nginx.pid'), 'utf8') === '';
    tries += 1
  ) {
    if (tries > 1000 || child.exitCode !== null)
      throw new Error(`nginx did not start: ${String(child.stderr.read() ?? '')}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  return {
    stop: async () => {
      child.kill('SIGTERM');
      await closed;
    },
    reload: () => Promise.resolve(void child.kill('SIGHUP')),
  };
}

export function haproxyProgram(): string {
  return serverProgram('haproxy', 'haproxy', ['/usr/sbin/haproxy', '/usr/local/sbin/haproxy', '/usr/bin/haproxy']);
}

/** As systemd runs it: a master that starts its worker anew (management guide, `-W`). */
async function startHaproxy(folder: string): Promise<RunningFront> {
  const config = join(folder, 'haproxy.cfg');
  writeFileSync(config, haproxyAlone({ runFolder: folder, user: null }));
  const files = ['-f', config, '-f', join(folder, '.mile-marker/front/current')];
  const child = spawn(haproxyProgram(), ['-W', ...files], { stdio: ['ignore', 'ignore', 'pipe'] });
  const closed = new Promise<void>((resolve) => child.once('close', () => resolve()));
  let said = '';
  child.stderr.on('data', (text: Buffer) => (said += text.toString()));
  for (let tries = 0; !said.includes('Loading success'); tries += 1) {
    if (tries > 1000 || child.exitCode !== null) throw new Error(`haproxy did not start: ${said}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  return {
    stop: async () => {
      child.kill('SIGTERM');
      await closed;
    },
    reload: () => Promise.resolve(void child.kill('SIGUSR2')),
  };
}

export function httpdProgram(): string {
  return serverProgram('apache2', 'apache2', ['/usr/sbin/apache2', '/usr/sbin/httpd', '/usr/local/bin/httpd']);
}

async function startHttpd(folder: string): Promise<RunningFront> {
  const config = join(folder, 'httpd.conf');
  const current = join(folder, '.mile-marker/front/current');
  // It serves as another user than root, or not at all.
  const user = process.getuid?.() === 0 ? 'www-data' : null;
  writeFileSync(config, httpdAlone({ current, runFolder: folder, modules: '/usr/lib/apache2/modules', user }));
  const child = spawn(httpdProgram(), ['-f', config, '-DFOREGROUND'], { stdio: ['ignore', 'ignore', 'pipe'] });
  const closed = new Promise<void>((resolve) => child.once('close', () => resolve()));
  let said = '';
  child.stderr.on('data', (text: Buffer) => (said += text.toString()));
  const log = join(folder, 'error.log');
  for (
    let tries = 0;
    !(existsSync(log) && readFileSync(log, 'utf8').includes('resuming normal operations'));
    tries += 1
  ) {
    if (tries > 1000 || child.exitCode !== null) throw new Error(`httpd did not start: ${said}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  return {
    stop: async () => {
      child.kill('SIGTERM');
      await closed;
    },
    reload: () => Promise.resolve(void child.kill('SIGUSR1')),
  };
}
