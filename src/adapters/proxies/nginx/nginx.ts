import { spawn, type ChildProcess } from 'node:child_process';
import { access, constants, rm, stat } from 'node:fs/promises';
import { delimiter, join } from 'node:path';
import { readDump } from '../../../core/proxies/nginx/dump.ts';
import type { Served } from '../../../core/rules/rule.ts';
import { Trouble } from '../../trouble.ts';

/** A running nginx of our own. */
export interface OwnNginx {
  stop: () => Promise<void>;
}

/**
 * The installed nginx. Debian keeps it in /usr/sbin, which is not on everyone's PATH.
 *
 * @throws Trouble `nginx-missing`
 */
export async function findNginx(env: Readonly<Record<string, string | undefined>>): Promise<string> {
  for (const folder of [...(env['PATH'] ?? '').split(delimiter), '/usr/sbin', '/usr/local/sbin']) {
    const program = join(folder === '' ? '.' : folder, 'nginx');
    const usable = await access(program, constants.X_OK).then(
      () => true,
      () => false,
    );
    if (usable) return program;
  }
  throw new Trouble({
    code: 'nginx-missing',
    message: 'nginx is not installed on this machine.',
    remedy: 'On Debian: apt-get install nginx-light',
  });
}

/**
 * What the installed nginx serves by files that are not ours, by its own dump (`nginx -T`). Nothing is reloaded; an nginx
 * that is not installed serves nothing.
 */
export async function readServed(env: Readonly<Record<string, string | undefined>>): Promise<Served> {
  let program: string;
  try {
    program = await findNginx(env);
  } catch {
    return { blocks: [], problem: null };
  }
  const begun = Date.now();
  const child = spawn(program, ['-T', '-e', 'stderr'], { stdio: ['ignore', 'pipe', 'pipe'] });
  let dump = '';
  child.stdout.setEncoding('utf8').on('data', (text: string) => {
    dump += text;
  });
  const words = await collect(child);
  await removeEmptyPid(dump, begun);
  // A configuration that nginx refuses is shown all the same, but not whole.
  if (child.exitCode !== 0) return { blocks: [], problem: refusalOf(words) };
  return { blocks: readDump(dump), problem: null };
}

/** nginx's own reason without time and process number, behind which any warnings stand. */
function refusalOf(words: string): string {
  return /\[emerg\] (?:\d+#\d+: )?(.*)/.exec(words)?.[1] ?? 'it gives no reason';
}

/** A test of nginx that is not running leaves an empty pid file behind; one that was there before stays. */
async function removeEmptyPid(dump: string, begunMs: number): Promise<void> {
  const path = /^\s*pid\s+"?([^;"]+)"?;/m.exec(dump)?.[1];
  const there = path === undefined ? null : await stat(path).catch(() => null);
  if (path !== undefined && there?.isFile() === true && there.size === 0 && there.birthtimeMs >= begunMs - 1000) {
    await rm(path, { force: true }).catch(() => undefined);
  }
}

/** Runs nginx's own test of a configuration. */
export async function testNginx(program: string, config: string): Promise<{ passed: boolean; output: string }> {
  const child = spawn(program, ['-t', '-q', '-c', config, '-e', 'stderr'], { stdio: ['ignore', 'ignore', 'pipe'] });
  const output = await collect(child);
  return { passed: child.exitCode === 0, output };
}

/**
 * Tests a configuration, then runs nginx with it in the foreground as a child of ours.
 *
 * @throws Trouble `nginx-refuses` with nginx's own words
 */
export async function startNginx(program: string, config: string): Promise<OwnNginx> {
  const test = await testNginx(program, config);
  if (!test.passed) {
    const message = `nginx does not accept the written configuration: ${test.output.trim()}`;
    throw new Trouble({
      code: 'nginx-refuses',
      message,
      remedy: 'If it says that a port is taken, stop what has it. Otherwise please report this.',
    });
  }
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

async function collect(child: ChildProcess): Promise<string> {
  let output = '';
  child.stderr?.setEncoding('utf8').on('data', (text: string) => {
    output += text;
  });
  await new Promise<void>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', () => resolve());
  });
  return output;
}
