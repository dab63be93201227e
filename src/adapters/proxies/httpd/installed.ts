import { existsSync } from 'node:fs';
import { access, constants, readFile } from 'node:fs/promises';
import { basename, dirname } from 'node:path';
import {
  dumpOptions,
  filesRead,
  includeFolders,
  modulesIn,
  pidFileIn,
  portsListened,
  rootIn,
} from '../../../core/proxies/httpd/dump.ts';
import type { OwnFiles } from '../../../core/proxies/whose.ts';
import { freeName } from '../free-name.ts';
import { usedModules } from '../../../core/proxies/httpd/renderer.ts';
import { hasSystemd } from '../../host/units.ts';
import { codeOf } from '../../trouble.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { endProcess, isAlive } from '../end-process.ts';
import { runSwapped } from '../swapped.ts';
import { patienceMs, type InstalledProxy, type Needs, type Place, type Swap, type Tried } from '../adapter.ts';
import { run, withSettings } from './run.ts';
import { reasonIn } from './words.ts';

/** The httpd of this machine, with whatever its administrator set it up with (httpd(8)). */
export const installedHttpd: InstalledProxy = {
  placeFor,
  testWith,
  reload,
  start,
  isOwn: false,
  runs: async (program) => isAlive(await mainOf(program)),
  // httpd manual, "Stopping and Restarting": WINCH ends it when it has answered what it has begun.
  stop: async (program) => endProcess(await mainOf(program), 'SIGWINCH'),
  listensBy,
};

async function listensBy(program: string, ports: readonly number[], own: OwnFiles): Promise<string[]> {
  const { out } = await run(program, ['-t', ...dumpOptions]);
  const others = filesRead(out).filter((file) => !own.holds(file));
  const texts = await Promise.all(others.map((file) => readFile(file, 'utf8').catch(() => '')));
  return others.filter((_, index) => portsListened(texts[index] ?? '').some((port) => ports.includes(port)));
}

async function placeFor(program: string, entry: string, { ports, texts: coming }: Needs): Promise<Place> {
  const { code, out, err } = await run(program, ['-t', ...dumpOptions]);
  const isRoot = process.getuid?.() === 0;
  if (code !== 0 && !isRoot && /[Pp]ermission denied/.test(err))
    return {
      how: 'barred',
      why: 'some of its files are not readable for you',
      path: null,
      isRead: err.includes(entry),
    };
  if (code !== 0) return { how: 'refuses', why: reasonIn(err) };
  const first = await lackOf(out, ports, coming);
  if (first !== null) return first;
  const place = await placeIn(out, entry);
  const why = isRoot ? null : await whyBarred(out, place);
  if (why === null) return place;
  return { how: 'barred', why, path: place.how === 'file' ? place.path : null, isRead: place.how === 'read' };
}

/** What must be there before it can serve our files: modules, and the ports that it listens on. */
async function lackOf(out: string, ports: readonly number[], coming: readonly string[]): Promise<Place | null> {
  const loaded = new Set(modulesIn(out));
  const off = usedModules.filter((name) => !loaded.has(name));
  const modules = existsSync('/etc/apache2/mods-available')
    ? `a2enmod ${off.join(' ')}`
    : 'load them with LoadModule lines';
  const texts = await Promise.all(filesRead(out).map((path) => readFile(path, 'utf8').catch(() => '')));
  const heard = new Set(portsListened([...texts, ...coming].join('\n')));
  const silent = ports.filter((port) => !heard.has(port));
  const lines = silent.map((port) => `Listen ${String(port)}`).join(', and ');
  const lacks = [
    ...(off.length === 0 ? [] : [{ why: `its modules ${off.join(', ')} are off`, step: modules }]),
    ...(silent.length === 0
      ? []
      : [{ why: `it does not listen on port ${silent.join(' or ')}`, step: `add to its configuration: ${lines}` }]),
  ];
  if (lacks.length === 0) return null;
  return {
    how: 'first',
    why: lacks.map(({ why }) => why).join(', and '),
    steps: lacks.map(({ step }) => step).join('. Then '),
  };
}

async function placeIn(out: string, entry: string): Promise<Place> {
  const read = filesRead(out);
  if (read.includes(entry)) return { how: 'read' };
  const [main = ''] = read;
  for (const folder of includeFolders(await readFile(main, 'utf8').catch(() => ''), rootIn(out))) {
    if (!existsSync(folder)) continue;
    const path = await freeName(folder, entry);
    if (path !== null) return { how: 'file', path };
  }
  return { how: 'by-hand', why: 'its configuration reads no folder of files' };
}

/** Whoever may not write the file, or tell the main process anything, cannot bring anything live. */
async function whyBarred(out: string, place: Place): Promise<string | null> {
  const mayWrite = place.how !== 'file' || (await access(dirname(place.path), constants.W_OK).then(yes, no));
  if (!mayWrite) return 'you cannot write to the folder that it reads';
  const pid = await mainProcess(out);
  try {
    if (pid !== null) process.kill(pid, 0);
    return null;
  } catch (error) {
    return codeOf(error) === 'EPERM' ? 'it runs as another user' : null;
  }
}

const yes = (): boolean => true;
const no = (): boolean => false;

async function mainProcess(out: string): Promise<number | null> {
  const pid = Number((await readFile(pidFileIn(out) ?? '', 'utf8').catch(() => '')).trim());
  return pid > 0 ? pid : null;
}

async function mainOf(program: string): Promise<number | null> {
  const { out } = await run(program, ['-t', ...dumpOptions]);
  return mainProcess(out);
}

async function testWith(program: string, swaps: readonly Swap[]): Promise<Tried> {
  const [shell, argv] = withSettings(program, ['-t']);
  const ended = await runSwapped(shell, argv, swaps);
  return ended === null ? { passed: false, output: '', untested: true } : tried(ended);
}

/** Told by a signal; its own `-k graceful` starts one that does not run. */
async function reload(program: string): Promise<Tried & { stopped?: true }> {
  const tested = await testWith(program, []);
  if (!tested.passed) return tested;
  const { out } = await run(program, ['-t', ...dumpOptions]);
  const pid = await mainProcess(out);
  const stopped = { passed: false, output: 'it does not run', stopped: true } as const;
  if (pid === null) return stopped;
  try {
    process.kill(pid, 'SIGUSR1');
    return { passed: true, output: '' };
  } catch (error) {
    return codeOf(error) === 'ESRCH' ? stopped : { passed: false, output: 'it runs as another user' };
  }
}

async function start(program: string): Promise<Tried> {
  if (hasSystemd()) {
    const unit = basename(program) === 'httpd' ? 'httpd' : 'apache2';
    return tried(await runQuiet('systemctl', ['start', unit], patienceMs));
  }
  return tried(await run(program, ['-k', 'start']));
}

function tried({ code, err }: { code: number | null; err: string }): Tried {
  return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
}
