import { spawn, type ChildProcessWithoutNullStreams } from 'node:child_process';
import { mkdtempSync, writeFileSync, mkdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { assertDocument } from './documents.ts';
import type { Io } from '../../src/cli/io.ts';

export const program = join(__dirname, '../../dist/mile-marker.js');

export interface Ran {
  code: number | null;
  out: string;
  err: string;
  /** Both, in the order in which a terminal shows them; only for what ran in this process. */
  said?: string;
}

/** Ended by the environment, when every hook has run. */
declare const programsOfTests: ChildProcessWithoutNullStreams[];

/** Starts the built program. */
export function launch(argv: string[], cwd: string, env: Record<string, string> = {}): ChildProcessWithoutNullStreams {
  // An engine that happens to run on this machine is no part of a test.
  const clean = { PATH: process.env['PATH'] ?? '', HOME: cwd, DOCKER_HOST: 'none', ...env };
  const child = spawn(process.execPath, [program, ...argv], { cwd, env: clean });
  programsOfTests.push(child);
  return child;
}

/** Runs the built program to its end, in a process of its own. */
export async function mileMarkerProcess(argv: string[], cwd: string, env: Record<string, string> = {}): Promise<Ran> {
  return ended(launch(argv, cwd, env));
}

declare const runBuilt: (argv: readonly string[], io: Io) => Promise<number>;

/** Nothing here runs for long: a command that hangs is a failure with its words, not a test run that never ends. */
const limitMs = 90_000;

/** Runs a command of the built program to its end, in this process: with its own streams, folder and environment. */
export async function mileMarker(
  argv: string[],
  cwd: string,
  env: Record<string, string> = {},
  more: Partial<Io> = {},
): Promise<Ran> {
  let out = '';
  let err = '';
  let said = '';
  const hung = new AbortController();
  const limit = setTimeout(() => hung.abort(new Error(`still running after ${String(limitMs)} ms`)), limitMs);
  const code = await runBuilt(argv, {
    out: (text) => {
      out += text;
      said += text;
    },
    err: (text) => {
      err += text;
      said += text;
    },
    width: 80,
    colour: { out: false, err: false },
    progress: () => undefined,
    ask: null,
    askSecret: null,
    readInput: () => Promise.resolve(''),
    cwd,
    env: { PATH: process.env['PATH'] ?? '', HOME: cwd, DOCKER_HOST: 'none', ...env },
    now: () => new Date(),
    signal: hung.signal,
    onTakeUp: () => undefined,
    ...more,
  });
  clearTimeout(limit);
  // Whatever a test looks at in a document, all of it fits what is promised of it.
  if (argv.includes('--json') && out !== '' && !argv.includes('--watch')) assertDocument(out);
  return { code, out, err, said };
}

export async function ended(child: ChildProcessWithoutNullStreams, withinMs = limitMs): Promise<Ran> {
  let out = '';
  let err = '';
  child.stdout.setEncoding('utf8').on('data', (text: string) => (out += text));
  child.stderr.setEncoding('utf8').on('data', (text: string) => (err += text));
  child.stdin.end();
  const limit = setTimeout(() => child.kill('SIGKILL'), withinMs);
  const code = await new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  });
  clearTimeout(limit);
  return { code, out, err };
}

/** Waits until the program has said `words` on stderr. */
export async function says(child: ChildProcessWithoutNullStreams, words: string): Promise<void> {
  let err = '';
  await new Promise<void>((resolve, reject) => {
    child.stderr.setEncoding('utf8').on('data', (text: string) => {
      err += text;
      if (err.includes(words)) resolve();
    });
    child.once('close', () => reject(new Error(`ended without saying "${words}": ${err}`)));
  });
}

/** Stops a program with a signal and waits for its exit code. */
export async function stop(
  child: ChildProcessWithoutNullStreams,
  signal: NodeJS.Signals = 'SIGINT',
): Promise<number | null> {
  const closed = new Promise<number | null>((resolve) => child.once('close', resolve));
  if (child.exitCode !== null) return child.exitCode;
  child.kill(signal);
  return closed;
}

/** Removed by the environment, when every hook has run. */
declare const foldersOfTests: string[];

/** A temporary folder with files in it; removed after the test file. */
export function folderWith(files: Record<string, string> = {}): string {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-test-'));
  foldersOfTests.push(folder);
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), content);
  }
  return folder;
}
