import { existsSync } from 'node:fs';
import { access, constants, readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { portsInclude } from '../../../core/proxies/nginx/ports.ts';
import { shellWord } from '../../../core/shell-word.ts';
import {
  errorLogIn,
  filesRead,
  foldersRead,
  listensIn,
  pidFileIn,
  streamIn,
} from '../../../core/proxies/nginx/dump.ts';
import { listeningSockets } from '../../host/sockets.ts';
import { hasSystemd } from '../../host/units.ts';
import { readEnd } from '../../files/read-end.ts';
import { codeOf } from '../../trouble.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { freeName } from '../free-name.ts';
import { builtPidFile, dumpOf } from './run.ts';
import { endProcess, isAlive } from '../end-process.ts';
import { runSwapped } from '../swapped.ts';
import {
  markPatienceMs,
  patienceMs,
  type InstalledProxy,
  type Needs,
  type Place,
  type Reloading,
  type Swap,
  type Tried,
} from '../adapter.ts';

/** The nginx of this machine, with whatever its administrator set it up with (nginx(8)). */
export const installedNginx: InstalledProxy = {
  placeFor,
  testWith,
  reload,
  start,
  isOwn: false,
  runs: async (program) => isAlive(await mainProcess(program)),
  // nginx(8): QUIT ends it when it has answered what it has begun.
  stop: async (program) => endProcess(await mainProcess(program), 'SIGQUIT'),
  lastError,
};

async function placeFor(program: string, entry: string, { raw }: Needs): Promise<Place> {
  const { code, out, err } = await dumpOf(program);
  const isRoot = process.getuid?.() === 0;
  if (code !== 0 && !isRoot && /Permission denied/.test(err))
    return {
      how: 'barred',
      why: 'some of its files are not readable for you',
      path: null,
      isRead: err.includes(entry),
    };
  if (code !== 0) return { how: 'refuses', why: reasonIn(err) };
  const first = raw ? await lackForRaw(program, out, dirname(entry)) : null;
  if (first !== null) return first;
  const place = await placeIn(out, entry);
  const why = isRoot ? null : await whyBarred(program, out, place);
  if (why === null) return place;
  return { how: 'barred', why, path: place.how === 'file' ? place.path : null, isRead: place.how === 'read' };
}

/** Raw ports need a module that some packages keep apart, and a line outside `http { }`, where no folder of sites is read. All that is lacking is said at once. */
async function lackForRaw(program: string, dump: string, current: string): Promise<Place | null> {
  const { err } = await runQuiet(program, ['-V'], patienceMs);
  const hasModule = /--with-stream(?![=_])/.test(err) || /^\s*load_module\s.*ngx_stream_module\.so/m.test(dump);
  const stream = streamIn(dump, { top: `${current}/stream*.conf`, stream: `${current}/ports*.conf` });
  const lacks = [
    ...(hasModule ? [] : [{ why: 'its stream module is not loaded', step: 'apt-get install libnginx-mod-stream' }]),
    ...(stream.reads ? [] : [{ why: 'it does not read their file', step: lineForRaw(dump, current, stream.has) }]),
  ];
  if (lacks.length === 0) return null;
  return {
    how: 'first',
    why: `for raw ports, ${lacks.map(({ why }) => why).join(', and ')}`,
    steps: lacks.map(({ step }) => step).join('. Then: '),
  };
}

function lineForRaw(dump: string, current: string, hasStream: boolean): string {
  if (hasStream) return `add this line inside its stream { }: ${portsInclude(current, 'stream')}`;
  const line = portsInclude(current, 'top');
  const main = filesRead(dump)[0] ?? '/etc/nginx/nginx.conf';
  const folder = join(dirname(main), 'modules-enabled');
  const reads = foldersRead(dump, 'top').map((path) => (path.startsWith('/') ? path : join(dirname(main), path)));
  if (!reads.includes(folder)) return `add this line at the top of ${main}, outside any { }: ${line}`;
  // Behind the line that loads the module, by its name.
  return `echo ${shellWord(line)} > ${shellWord(join(folder, '90-mile-marker-ports.conf'))}`;
}

/** Whoever may not write the file, or tell the main process anything, cannot bring anything live. */
async function whyBarred(program: string, dump: string, place: Place): Promise<string | null> {
  const mayWrite = place.how !== 'file' || (await mayWriteIn(dirname(place.path)));
  if (!mayWrite) return 'you cannot write to the folder that it reads';
  const pid = await pidIn(pidFileIn(dump) ?? (await builtPidFile(program)));
  try {
    if (pid !== null) process.kill(pid, 0);
    return null;
  } catch (error) {
    return codeOf(error) === 'EPERM' ? 'it runs as another user' : null;
  }
}

function mayWriteIn(folder: string): Promise<boolean> {
  return access(folder, constants.W_OK).then(
    () => true,
    () => false,
  );
}

async function pidIn(path: string): Promise<number | null> {
  const pid = Number(await readFile(path, 'utf8').catch(() => ''));
  return pid > 0 ? pid : null;
}

/** Of an nginx that accepts what it is set up with or not. */
async function mainProcess(program: string): Promise<number | null> {
  const { out } = await dumpOf(program);
  return pidIn(pidFileIn(out) ?? (await builtPidFile(program)));
}

async function placeIn(out: string, entry: string): Promise<Place> {
  const read = filesRead(out);
  if (read.includes(entry)) return { how: 'read' };
  const [main = '/etc/nginx/nginx.conf'] = read;
  for (const folder of foldersRead(out).map((path) => (path.startsWith('/') ? path : join(dirname(main), path)))) {
    if (!existsSync(folder)) continue;
    const path = await freeName(folder, entry);
    if (path !== null) return { how: 'file', path };
  }
  return { how: 'by-hand', why: 'its configuration reads no folder of files' };
}

async function testWith(program: string, swaps: readonly Swap[]): Promise<Tried> {
  const ended = await runSwapped(program, ['-t', '-q', '-e', 'stderr'], swaps);
  return ended === null ? { passed: false, output: '', untested: true } : tried(ended);
}

function tried({ code, err }: { code: number | null; err: string }): Tried {
  return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
}

/** Where files were tested it need not be done again: nginx goes on with what it has when it cannot read them all the same. */
async function reload(
  program: string,
  { isTested = false, isMoved = true }: Reloading = {},
): Promise<Tried & { stopped?: true }> {
  const tested = isTested ? null : await testWith(program, []);
  if (tested?.passed === false) return tested;
  if (isMoved && (await mustRestart(program))) return restart(program);
  const { code, err } = await runQuiet(program, ['-s', 'reload', '-e', 'stderr'], patienceMs);
  const isStopped = code !== 0 && /invalid PID number|open\(\) .* failed|No such process/.test(err);
  return { ...tried({ code, err }), ...(isStopped ? { stopped: true } : {}) };
}

/**
 * A running nginx cannot turn one address of a port into all of them, nor the reverse: it opens the new socket before it closes the old one (bind(2),
 * EADDRINUSE), says so in its log alone, and goes on as before.
 */
async function mustRestart(program: string): Promise<boolean> {
  const { out } = await dumpOf(program);
  const pid = await pidIn(pidFileIn(out) ?? (await builtPidFile(program)));
  if (pid === null) return false;
  const wanted = listensIn(out);
  const held = listeningSockets().filter(
    ({ protocol, port, owners }) =>
      protocol === 'tcp' && wanted.some((one) => one.port === port) && owners.some((owner) => owner.pid === pid),
  );
  return held.some(({ address, family, port }) => {
    const here = wanted.filter((one) => one.port === port && one.family === family);
    const isAll = here.some((one) => one.address === null);
    return here.length > 0 && (address === null ? !isAll : isAll);
  });
}

async function restart(program: string): Promise<Tried> {
  const ended = await installedNginx.stop(program);
  return ended.passed ? start(program) : ended;
}

async function start(program: string): Promise<Tried> {
  const [starter = '', ...argv] = hasSystemd() ? ['systemctl', 'start', 'nginx'] : [program];
  return tried(await runQuiet(starter, argv, patienceMs));
}

/** What it says of a change that it did not take up stands in its log alone: `-s reload` succeeds all the same. */
async function lastError(program: string): Promise<string | null> {
  const { out } = await dumpOf(program);
  const path = errorLogIn(out);
  const text = path === null ? '' : await readEnd(path).catch(() => '');
  const last = [...text.matchAll(/^(\S+ \S+) \[emerg\] (?:\d+#\d+: )?(.*)$/gm)].at(-1);
  const at = Date.parse((last?.[1] ?? '').replaceAll('/', '-'));
  // What it said long ago is about another change.
  return last?.[2] === undefined || Date.now() - at > 2 * markPatienceMs ? null : last[2];
}

function reasonIn(err: string): string {
  return /\[emerg\] (?:\d+#\d+: )?(.*)/.exec(err)?.[1] ?? (err.trim().split('\n')[0] || 'it gives no reason');
}
