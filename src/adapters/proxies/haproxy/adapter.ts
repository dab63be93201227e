import { spawn } from 'node:child_process';
import { access } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { readDump } from '../../../core/proxies/haproxy/dump.ts';
import type { OwnFiles } from '../../../core/proxies/whose.ts';
import type { Served } from '../../../core/rules/rule.ts';
import { standalone } from '../../../core/proxies/haproxy/renderer.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { codeOf, reasonOf, Trouble } from '../../trouble.ts';
import {
  findProgram,
  patienceMs,
  refused,
  type Env,
  type OwnConfig,
  type OwnInstance,
  type ProxyAdapter,
  type Tried,
} from '../adapter.ts';
import { tellChallenges } from './challenges.ts';
import { installedHaproxy, startFiles } from './installed.ts';
import { readFiles } from './read-files.ts';
import { isSound, reasonIn, testWords } from './words.ts';

export const haproxyAdapter: ProxyAdapter = {
  find: (env) => findProgram('haproxy', 'haproxy', env),
  version: async (program) => /version ([\d.]+)/.exec((await runQuiet(program, ['-v'])).out)?.[1] ?? null,
  modules: async (program) =>
    [...(await runQuiet(program, ['-vv'])).out.matchAll(/\bUSE_(\w+)=1/g)].map(([, name = '']) => name),
  test,
  reload: async (program, own) => {
    const [shell = '', ...argv] = reloadWords(program, own);
    const { code, err } = await runQuiet(shell, argv, patienceMs);
    return { passed: code === 0, output: err };
  },
  startWords: (own) => ['haproxy', '-W', ...filesOf(own)],
  reloadWords,
  installed: installedHaproxy,
  served,
  dump,
  standalone,
  start: async (program, own) => {
    const tried = await test(program, own);
    if (!tried.passed) throw refused('haproxy', tried.output);
    return start(program, own);
  },
  tellChallenges,
};

/** By the files that it is started with, since it has no dump of its own. Nothing is reloaded. */
async function served(env: Env, own: OwnFiles | null): Promise<Served> {
  const nothing: Served = { by: 'haproxy', blocks: [], problem: null, refuses: false };
  const program = await findProgram('haproxy', 'haproxy', env).catch(() => null);
  if (program === null) return nothing;
  // Our own folder may be named before it is there.
  const named = await startFiles();
  const there = await Promise.all(named.map(isThere));
  const files = named.filter((_, index) => there[index]);
  if (files.length === 0) return nothing;
  const tested = await runQuiet(program, testWords(files), patienceMs);
  const { code, err } = tested;
  try {
    const text = await readFiles(files);
    if (isSound(tested)) return { ...nothing, blocks: readDump(text, own) };
    // Pairs are root's to read; it says of them that it cannot open, load or find them.
    const isBarred = process.getuid?.() !== 0 && /permission denied|unable to (?:open|load|stat)/i.test(err);
    return { ...nothing, problem: reasonIn(err), refuses: code !== null && !isBarred };
  } catch (error) {
    // Whoever may not read its files learns nothing of them.
    return { ...nothing, problem: reasonOf(error) };
  }
}

function isThere(path: string): Promise<boolean> {
  return access(path).then(
    () => true,
    (error: unknown) => codeOf(error) !== 'ENOENT',
  );
}

async function dump(program: string): Promise<string> {
  const files = await startFiles();
  const refuse = (reason: string): Trouble =>
    new Trouble({
      code: 'proxy-refuses',
      message: `haproxy does not accept its configuration, or cannot read it: ${reason}.`,
      remedy: 'Fix that, or run this as root. Nothing was changed.',
    });
  const tested = await runQuiet(program, testWords(files), patienceMs);
  if (!isSound(tested)) throw refuse(reasonIn(tested.err));
  return readFiles(files).catch((error: unknown) => {
    throw refuse(reasonOf(error));
  });
}

const filesOf = ({ config, current }: OwnConfig): string[] => ['-f', config, '-f', current];

async function test(program: string, own: OwnConfig): Promise<Tried> {
  const { code, err } = await runQuiet(program, testWords([own.config, own.current]), patienceMs);
  return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
}

/** Its main process is told (management guide §4). */
function reloadWords(_: string, { config }: OwnConfig): string[] {
  return ['sh', '-c', `kill -USR2 "$(head -n 1 '${dirname(config)}/haproxy.pid')"`];
}

function start(program: string, own: OwnConfig): OwnInstance {
  const pid = join(dirname(own.config), 'haproxy.pid');
  const child = spawn(program, ['-W', '-q', '-p', pid, ...filesOf(own)], { stdio: ['ignore', 'ignore', 'ignore'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  return {
    stop: async () => {
      if (child.exitCode === null) child.kill('SIGTERM');
      await ended;
    },
  };
}
