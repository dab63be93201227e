import { spawn } from 'node:child_process';
import { readDump } from '../../../core/proxies/nginx/dump.ts';
import { standalone } from '../../../core/proxies/nginx/renderer.ts';
import type { OwnFiles } from '../../../core/proxies/whose.ts';
import type { Served } from '../../../core/rules/rule.ts';
import { Trouble } from '../../trouble.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { installedNginx } from './installed.ts';
import { dumpOf } from './run.ts';
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

export const nginxAdapter: ProxyAdapter = {
  find: (env) => findProgram('nginx', 'nginx', env),
  version: async (program) => /nginx version: nginx\/([\d.]+)/.exec(await builtWith(program, '-v'))?.[1] ?? null,
  modules: async (program) =>
    [...(await builtWith(program, '-V')).matchAll(/--with-(\w+_module)\b/g)].map(([, name = '']) => name),
  test,
  reload: async (program, own) => {
    const [, ...argv] = reloadWords(program, own);
    const { code, err } = await runQuiet(program, argv, patienceMs);
    return { passed: code === 0, output: err };
  },
  installed: installedNginx,
  startWords: ({ config }) => ['nginx', '-c', config],
  reloadWords,
  served,
  dump,
  standalone,
  start: async (program, own) => {
    const tried = await test(program, own);
    if (!tried.passed) throw refused('nginx', tried.output);
    return start(program, own);
  },
};

async function builtWith(program: string, option: '-v' | '-V'): Promise<string> {
  return (await runQuiet(program, [option])).err;
}

async function test(program: string, { config }: OwnConfig): Promise<Tried> {
  const { code, err } = await runQuiet(program, ['-t', '-q', '-c', config, '-e', 'stderr'], patienceMs);
  return { passed: code === 0, output: err };
}

function reloadWords(program: string, { config }: OwnConfig): string[] {
  return [program, '-c', config, '-e', '/dev/null', '-s', 'reload'];
}

/** By its own dump (nginx(8), -T). Nothing is reloaded. */
async function served(env: Env, own: OwnFiles | null): Promise<Served> {
  const nothing: Served = { by: 'nginx', blocks: [], problem: null, refuses: false };
  const program = await findProgram('nginx', 'nginx', env).catch(() => null);
  if (program === null) return nothing;
  const { code, out, err } = await dumpOf(program);
  // A configuration that nginx refuses is shown all the same, but not whole.
  if (code === 0) return { ...nothing, blocks: readDump(out, own) };
  const problem = refusalOf(err);
  // Whoever may not read its files learns nothing of them.
  return { ...nothing, problem, refuses: code !== null && !/Permission denied|^it gives/.test(problem) };
}

async function dump(program: string): Promise<string> {
  const { code, out, err } = await dumpOf(program);
  if (code === 0) return out;
  throw new Trouble({
    code: 'proxy-refuses',
    message: `nginx does not accept its configuration, or cannot read it: ${refusalOf(err)}.`,
    remedy: 'Fix that, or run this as root. Nothing was changed.',
  });
}

/** nginx's own reason without time and process number, behind which any warnings stand. */
function refusalOf(words: string): string {
  return /\[emerg\] (?:\d+#\d+: )?(.*)/.exec(words)?.[1] ?? 'it gives no reason';
}

function start(program: string, { config }: OwnConfig): OwnInstance {
  const child = spawn(program, ['-c', config, '-e', 'stderr', '-g', 'daemon off;'], {
    stdio: ['ignore', 'ignore', 'ignore'],
  });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  return {
    stop: async () => {
      if (child.exitCode === null) child.kill('SIGTERM');
      await ended;
    },
  };
}
