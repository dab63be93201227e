import { spawn } from 'node:child_process';
import { dirname, join } from 'node:path';
import { standalone } from '../../../core/proxies/haproxy/renderer.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { Trouble } from '../../trouble.ts';
import {
  findProgram,
  patienceMs,
  refused,
  type OwnConfig,
  type OwnInstance,
  type ProxyAdapter,
  type Tried,
} from '../adapter.ts';
import { tellChallenges } from './challenges.ts';
import { installedHaproxy } from './installed.ts';
import { reasonIn } from './words.ts';

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
  // It has no dump: what runs is known by the files it was started with alone.
  served: () => Promise.resolve({ by: 'haproxy', blocks: [], problem: null, refuses: false }),
  dump: () =>
    Promise.reject(
      new Trouble({
        code: 'no-dump',
        message: 'haproxy does not say what it serves, so no map can be read off it.',
        remedy: 'Write the map yourself: mile-marker init',
      }),
    ),
  standalone,
  start: async (program, own) => {
    const tried = await test(program, own);
    if (!tried.passed) throw refused('haproxy', tried.output);
    return start(program, own);
  },
  tellChallenges,
};

const filesOf = ({ config, current }: OwnConfig): string[] => ['-f', config, '-f', current];

async function test(program: string, own: OwnConfig): Promise<Tried> {
  const { code, err } = await runQuiet(program, ['-c', '-q', ...filesOf(own)], patienceMs);
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
