import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import net from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { EngineAddress } from './address.ts';

type SshAddress = Extract<EngineAddress, { kind: 'ssh' }>;

/** One for each engine, as long as this program runs. */
const forwards = new Map<string, Promise<string>>();

/**
 * Path of a socket of this machine behind which an engine answers that is reached through ssh: the installed client leads it there (ssh(1), `-L`), with whatever
 * its own configuration says of keys and hosts. Nobody is asked for anything.
 *
 * @throws an `Error` with what the client said last
 */
export function forwardedSocket(address: SshAddress): Promise<string> {
  const known = forwards.get(address.shown);
  if (known !== undefined) return known;
  const opened = open(address);
  forwards.set(address.shown, opened);
  opened.catch(() => forwards.delete(address.shown));
  return opened;
}

/** The client gives up on a host that does not answer after so many seconds, and we on the client after twice as many. */
const connectSeconds = 5;

async function open({ destination, port, socket, shown }: SshAddress): Promise<string> {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-ssh-'));
  const local = join(folder, 'engine.sock');
  const options = [
    'BatchMode=yes',
    `ConnectTimeout=${String(connectSeconds)}`,
    'ExitOnForwardFailure=yes',
    'StreamLocalBindMask=0177',
    // A machine that is gone without a word is noticed.
    'ServerAliveInterval=10',
    'ServerAliveCountMax=3',
  ].flatMap((option) => ['-o', option]);
  const where = port === null ? [] : ['-p', port];
  const child = spawn('ssh', ['-N', '-T', ...options, ...where, '-L', `${local}:${socket}`, '--', destination], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const end = (): void => {
    child.kill();
    rmSync(folder, { recursive: true, force: true });
  };
  process.once('exit', end);
  child.once('close', () => {
    process.off('exit', end);
    forwards.delete(shown);
    rmSync(folder, { recursive: true, force: true });
  });
  await untilThere(child, local);
  // It must not keep this program from ending.
  child.unref();
  (child.stderr as unknown as { unref: () => void }).unref();
  return local;
}

async function untilThere(child: ChildProcess, local: string): Promise<void> {
  let said = '';
  let failure: Error | null = null;
  child.stderr?.setEncoding('utf8').on('data', (text: string) => (said = `${said}${text}`.slice(-2000)));
  child.once('error', (error: NodeJS.ErrnoException) => {
    failure = error.code === 'ENOENT' ? new Error('there is no program `ssh` here') : error;
  });
  const ended = new Promise<void>((resolve) => child.once('close', () => resolve()));
  const until = performance.now() + connectSeconds * 2000;
  while (!(await isListening(local))) {
    await Promise.race([ended, pause(20)]);
    if (failure !== null) throw failure as Error;
    if (child.exitCode !== null || child.signalCode !== null) throw new Error(lastLine(said));
    if (performance.now() < until) continue;
    child.kill();
    throw new Error(`ssh cannot connect within ${String(connectSeconds * 2)} seconds`);
  }
}

/** The socket's file is there a moment before anybody listens behind it (bind(2), listen(2)). */
function isListening(path: string): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = net.connect(path, () => {
      socket.destroy();
      resolve(true);
    });
    socket.once('error', () => resolve(false));
  });
}

function lastLine(said: string): string {
  const last = said.trim().split(/\r?\n/).pop();
  return last === undefined || last === '' ? 'ssh ended without a message' : `ssh: ${last.replace(/\.$/, '')}`;
}
