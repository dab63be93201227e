import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { dumpOptions, fileLine, filesRead, modulesIn, readDump } from '../../../core/proxies/httpd/dump.ts';
import { standalone } from '../../../core/proxies/httpd/renderer.ts';
import type { OwnFiles } from '../../../core/proxies/whose.ts';
import type { Served } from '../../../core/rules/rule.ts';
import { runQuiet } from '../../processes/run-quiet.ts';
import { Trouble } from '../../trouble.ts';
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
import { installedHttpd } from './installed.ts';
import { run } from './run.ts';
import { reasonIn } from './words.ts';

export const httpdAdapter: ProxyAdapter = {
  find,
  version: async (program) => /version: Apache\/([\d.]+)/.exec((await runQuiet(program, ['-v'])).out)?.[1] ?? null,
  modules: async (program) => modulesIn((await run(program, ['-t', ...dumpOptions])).out),
  test,
  reload: async (program, own) => {
    const [, ...argv] = reloadWords(program, own);
    const { code, err } = await runQuiet(program, argv, patienceMs);
    return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
  },
  installed: installedHttpd,
  startWords: ({ config }) => ['apache2', '-f', config, '-DFOREGROUND'],
  reloadWords,
  served,
  dump,
  standalone: (input) => standalone({ ...input, modules: modulesFolder() }),
  start: async (program, own) => {
    const tried = await test(program, own);
    if (!tried.passed) throw refused('httpd', tried.output);
    return start(program, own);
  },
};

/** Debian calls it by another name than its makers. @throws Trouble `proxy-missing` */
function find(env: Env): Promise<string> {
  return findProgram('httpd', 'apache2', env).catch(() => findProgram('httpd', 'httpd', env));
}

/** Where packages keep its modules. */
function modulesFolder(): string {
  const usual = '/usr/lib/apache2/modules';
  const others = ['/usr/lib64/httpd/modules', '/usr/lib/httpd/modules', '/usr/local/apache2/modules'];
  return [usual, ...others].find((folder) => existsSync(folder)) ?? usual;
}

async function test(program: string, { config }: OwnConfig): Promise<Tried> {
  const { code, err } = await runQuiet(program, ['-t', '-f', config], patienceMs);
  return { passed: code === 0, output: code === 0 ? '' : reasonIn(err) };
}

function reloadWords(program: string, { config }: OwnConfig): string[] {
  return [program, '-f', config, '-k', 'graceful'];
}

function start(program: string, { config }: OwnConfig): OwnInstance {
  const child = spawn(program, ['-f', config, '-DFOREGROUND'], { stdio: ['ignore', 'ignore', 'ignore'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  return {
    stop: async () => {
      if (child.exitCode === null) child.kill('SIGTERM');
      await ended;
    },
  };
}

/** By its own list of servers. Nothing is reloaded. */
async function served(env: Env, own: OwnFiles | null): Promise<Served> {
  const nothing: Served = { by: 'httpd', blocks: [], problem: null, refuses: false };
  const program = await find(env).catch(() => null);
  if (program === null) return nothing;
  const { code, out, err } = await run(program, ['-t', ...dumpOptions]);
  if (code === 0) return { ...nothing, blocks: readDump(await withTexts(out), own) };
  const problem = reasonIn(err);
  // Whoever may not read its files learns nothing of them.
  return { ...nothing, problem, refuses: code !== null && !/[Pp]ermission denied|^it gives/.test(problem) };
}

async function dump(program: string): Promise<string> {
  const { code, out, err } = await run(program, ['-t', ...dumpOptions]);
  if (code === 0) return withTexts(out);
  throw new Trouble({
    code: 'proxy-refuses',
    message: `httpd does not accept its configuration, or cannot read it: ${reasonIn(err)}.`,
    remedy: 'Fix that, or run this as root. Nothing was changed.',
  });
}

/** Its list names the files alone. */
async function withTexts(out: string): Promise<string> {
  const texts = await Promise.all(
    filesRead(out).map(async (path) => `${fileLine(path)}\n${await readFile(path, 'utf8').catch(() => '')}\n`),
  );
  return [out, ...texts].join('\n');
}
