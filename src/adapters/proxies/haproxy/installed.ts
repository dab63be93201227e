import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { hasSystemd } from '../../host/units.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { codeOf } from '../../trouble.ts';
import { patienceMs, type InstalledProxy, type Place, type Swap, type Tried } from '../adapter.ts';
import { endProcess, isAlive } from '../end-process.ts';
import { runSwapped } from '../swapped.ts';
import { isSound, reasonIn, testWords } from './words.ts';

/** The haproxy of this machine, with the files that its unit starts it with (haproxy(1), `-f`). */
export const installedHaproxy: InstalledProxy = {
  placeFor,
  testWith,
  reload,
  start,
  isOwn: false,
  runs: async () => isAlive(await mainProcess()),
  stop,
  leave,
};

const settings = '/etc/default/haproxy';
const usual = { config: '/etc/haproxy/haproxy.cfg', pid: '/run/haproxy.pid' };

/** Words of the command line as the unit makes it of the settings (systemd.exec(5), EnvironmentFile). */
async function startWords(): Promise<string[]> {
  const text = await readFile(settings, 'utf8').catch(() => '');
  const said = (name: string): string | undefined =>
    new RegExp(`^\\s*${name}=["']?([^"'\\n]*)["']?\\s*$`, 'm').exec(text)?.[1];
  return [
    '-f',
    said('CONFIG') ?? usual.config,
    ...(said('EXTRAOPTS') ?? '').split(/\s+/).filter((word) => word !== ''),
  ];
}

/** Files and folders that are read, in their order. */
function filesIn(words: readonly string[]): string[] {
  return words.flatMap((word, index) => (words[index - 1] === '-f' ? [word.replace(/\/$/, '')] : []));
}

/** Files and folders that the unit starts it with. */
export async function startFiles(): Promise<string[]> {
  return filesIn(await startWords());
}

async function placeFor(program: string, entry: string): Promise<Place> {
  const words = await startWords();
  const own = dirname(entry);
  if (!filesIn(words).includes(own)) return { how: 'by-hand', why: `${settings} does not name this folder` };
  // Before anything was live its folder is not there, and whoever brings it live makes it.
  const tried = existsSync(own) ? await testWith(program, []) : { passed: true, output: '' };
  if (!tried.passed) return { how: 'refuses', why: tried.output };
  const pid = await mainProcess();
  try {
    if (pid !== null) process.kill(pid, 0);
    return { how: 'read' };
  } catch (error) {
    if (codeOf(error) !== 'EPERM') return { how: 'read' };
    return { how: 'barred', why: 'it runs as another user', path: null, isRead: true };
  }
}

async function mainProcess(): Promise<number | null> {
  const pid = Number((await readFile(usual.pid, 'utf8').catch(() => '')).trim().split('\n')[0]);
  return pid > 0 ? pid : null;
}

async function testWith(program: string, swaps: readonly Swap[]): Promise<Tried> {
  const ended = await runSwapped(program, testWords(await startFiles()), swaps);
  if (ended === null) return { passed: false, output: '', untested: true };
  return isSound(ended) ? { passed: true, output: '' } : tried(ended);
}

/** Its main process starts a worker anew and lets the old one end what it has (management guide §4), by the words that it was started with itself. */
async function reload(program: string): Promise<Tried & { stopped?: true }> {
  const tested = await testWith(program, []);
  if (!tested.passed) return tested;
  const pid = await mainProcess();
  const stopped = { passed: false, output: 'it does not run', stopped: true } as const;
  if (pid === null) return stopped;
  const started = (await readFile(`/proc/${String(pid)}/cmdline`, 'utf8').catch(() => '')).split('\0');
  if (started[0] === '') return stopped;
  const isSame = filesIn(started).join(' ') === filesIn(await startWords()).join(' ');
  if (!isSame) return restart();
  try {
    process.kill(pid, 'SIGUSR2');
    return { passed: true, output: '' };
  } catch (error) {
    return codeOf(error) === 'ESRCH' ? stopped : { passed: false, output: 'it runs as another user' };
  }
}

/** Its unit would start it again. Else USR1 ends it when it has answered what it has begun (management guide §4). */
async function stop(): Promise<Tried> {
  if (hasSystemd()) return tried(await runQuiet('systemctl', ['stop', 'haproxy'], patienceMs));
  return endProcess(await mainProcess(), 'SIGUSR1');
}

/** What has nothing to listen on it does not take up, so that it would go on with ours. */
async function leave(program: string): Promise<Tried> {
  const tested = await runQuiet(program, testWords(await startFiles()), patienceMs);
  if (!isSound(tested)) return tried(tested);
  if (tested.code !== 0) return stop();
  const { stopped, ...reloaded } = await reload(program);
  return stopped === true ? { passed: true, output: '' } : reloaded;
}

/** The first time alone: what it is to read was not among its words when it was started. */
async function restart(): Promise<Tried> {
  if (!hasSystemd()) return { passed: false, output: `it was started without what ${settings} says now` };
  return tried(await runQuiet('systemctl', ['restart', 'haproxy'], patienceMs));
}

async function start(program: string): Promise<Tried> {
  const [starter = '', ...argv] = hasSystemd()
    ? ['systemctl', 'start', 'haproxy']
    : [program, '-W', '-D', '-p', usual.pid, ...(await startWords())];
  return tried(await runQuiet(starter, argv, patienceMs));
}

function tried({ code, err }: { code: number | null; err: string }): Tried {
  return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
}
