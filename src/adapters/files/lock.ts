import { createHash, randomBytes } from 'node:crypto';
import { link, open, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import * as z from 'zod';
import { spaceHere, startOf } from '../host/process-id.ts';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { inTrueFolder } from './true-folder.ts';
import { giveOver } from './safe-write.ts';
import { ensureState, type StatePaths } from './state-folder.ts';
import { shellWord } from '../../core/shell-word.ts';

interface LockInput {
  paths: StatePaths;
  /** What is run, as a person knows it. */
  command: string;
  /** Called once, when somebody else holds it. */
  onWait: (holder: Holder) => void;
  /** Asked for only when somebody else holds it. */
  signal: () => AbortSignal;
}

/**
 * Who holds a lock.
 *
 * @property started what the kernel says of the start of this process, so that another one with its number is not taken for it
 * @property space the processes that its number counts among (pid_namespaces(7)), and the boot
 */
const holderForm = z.object({ pid: z.number(), started: z.string(), space: z.string(), command: z.string() });
type Holder = z.output<typeof holderForm>;

const pauseMs = 200;
const clearMs = 5;
const patienceMs = 10 * 60_000;

/**
 * Takes the one lock of a map's state: whatever changes certificates, written files or records runs alone. What a holder that is dead left is cleared
 * away. Where the state cannot be written at all there is nothing to race for, and the work that follows says so.
 *
 * @returns what gives it back
 * @throws Trouble `state-locked` when the holder does not let go within ten minutes, or when interrupted; `lock-unusable`
 */
export async function takeLock({ paths, command, onWait, signal }: LockInput): Promise<() => Promise<void>> {
  const file = join(paths.root, 'lock');
  const own = textFor(await thisProcess(command));
  for (let waited: number | null = null; ;) {
    const holder = await attempt(paths, file, own);
    if (holder === 'made') return () => giveBack(file, own);
    if (holder === 'nowhere') return () => Promise.resolve();
    if (waited === null) onWait(holder);
    if ((waited ?? 0) >= patienceMs || signal().aborted) throw locked(holder, file);
    await pause(pauseMs, undefined, { signal: signal() }).catch(() => undefined);
    waited = (waited ?? 0) + pauseMs;
  }
}

/**
 * Takes it only where nobody has it, and where it can be taken at all.
 *
 * @param file another lock of the same kind @returns what gives it back; null when it was not taken
 */
export async function tryLock(
  paths: StatePaths,
  command: string,
  file = join(paths.root, 'lock'),
): Promise<(() => Promise<void>) | null> {
  const own = textFor(await thisProcess(command));
  return (await attempt(paths, file, own)) === 'made' ? () => giveBack(file, own) : null;
}

/** Whether a process that is alive holds it. */
export async function isHeld(file: string): Promise<boolean> {
  const holder = holderOf((await readFile(file, 'utf8').catch(() => null)) ?? '');
  return holder !== null && !(await isDead(holder));
}

/** Who holds it when it was not made. */
async function attempt(paths: StatePaths, file: string, own: string): Promise<'made' | 'nowhere' | Holder> {
  for (;;) {
    const made = await make(paths, file, own);
    if (made !== 'taken') return made;
    const text = await textOf(file);
    // It was let go just now.
    if (text === null) continue;
    const holder = holderOf(text);
    if (holder !== null && !(await isDead(holder))) return holder;
    await clear(paths, file, text);
  }
}

/** Null when it is not there. */
async function textOf(file: string): Promise<string | null> {
  try {
    return await readFile(file, 'utf8');
  } catch (error) {
    if (codeOf(error) === 'ENOENT') return null;
    throw unusable(file, error);
  }
}

async function make(paths: StatePaths, file: string, text: string): Promise<'made' | 'taken' | 'nowhere'> {
  try {
    await ensureState(paths);
    await inTrueFolder(file, (at) => makeWhole(at, text));
    return 'made';
  } catch (error) {
    const cause = error instanceof Trouble ? error.cause : error;
    if (codeOf(cause) === 'EEXIST') return 'taken';
    return 'nowhere';
  }
}

/** It is there whole or not at all. */
async function makeWhole(file: string, text: string): Promise<void> {
  const fresh = `${file}.${randomBytes(6).toString('hex')}`;
  try {
    const handle = await open(fresh, 'wx', 0o600);
    await handle.writeFile(text).finally(() => handle.close());
    await giveOver(fresh);
    await link(fresh, file);
  } finally {
    await rm(fresh, { force: true }).catch(() => undefined);
  }
}

function holderOf(text: string): Holder | null {
  try {
    return holderForm.parse(JSON.parse(text));
  } catch {
    return null;
  }
}

/** No two are ever alike: whoever takes a lock twice holds it by another text. */
function textFor(holder: Holder): string {
  return `${JSON.stringify({ ...holder, once: randomBytes(8).toString('hex') })}\n`;
}

async function thisProcess(command: string): Promise<Holder> {
  return { pid: process.pid, started: (await startOf(process.pid)) ?? '', space: await spaceHere(), command };
}

async function isDead({ pid, started, space }: Holder): Promise<boolean> {
  // Of processes that are counted elsewhere, as in a container, nothing can be known.
  if (space !== (await spaceHere())) return space.split(' ')[0] !== (await spaceHere()).split(' ')[0];
  return (await startOf(pid)) !== started;
}

/**
 * Takes away what a dead holder left. Of several who see it one alone may: whoever holds the lock that is named after the very text, which nobody else ever
 * writes. So nothing goes but that text, and what another one has made in its place meanwhile stays.
 */
async function clear(paths: StatePaths, file: string, dead: string): Promise<void> {
  const claim = `${file}.${createHash('sha256').update(dead).digest('hex').slice(0, 16)}`;
  const own = textFor(await thisProcess('clearing a lock'));
  const taken = await attempt(paths, claim, own);
  if (taken === 'nowhere') throw unusable(file, new Error('its folder cannot be written to'));
  // Another one is at it, for a moment.
  if (taken !== 'made') {
    await pause(clearMs);
    return;
  }
  try {
    if ((await textOf(file)) === dead) await rm(file, { force: true });
  } catch (error) {
    throw error instanceof Trouble ? error : unusable(file, error);
  } finally {
    await giveBack(claim, own);
  }
}

async function giveBack(file: string, own: string): Promise<void> {
  const text = await readFile(file, 'utf8').catch(() => '');
  if (text === own) await rm(file, { force: true }).catch(() => undefined);
}

function locked({ command, pid }: Holder, file: string): Trouble {
  return new Trouble({
    code: 'state-locked',
    message: `\`${command}\` (process ${String(pid)}) is still changing the same files.`,
    remedy: `Wait for it, or end it. If no such process runs: rm ${shellWord(file)}`,
  });
}

function unusable(file: string, cause: unknown): Trouble {
  return new Trouble({
    code: 'lock-unusable',
    message: `${file}, which shows who is changing these files, cannot be read or removed: ${reasonOf(cause)}.`,
    remedy: `Run this as the user who keeps the files of this map. Whose it is: ls -ld ${shellWord(file)}`,
    cause,
  });
}
