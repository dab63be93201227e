import net from 'node:net';
import type { Attempt } from '../../core/legs/answer.ts';
import { failureOf, TimeUp } from './failure.ts';

/** @property from the address of this machine to ask from; the system chooses when there is none */
export interface Limits {
  timeoutMs: number;
  signal: AbortSignal;
  from?: string | null;
}

/** For the options of a socket. */
export function fromAddress(from: string | null | undefined): { localAddress?: string } {
  return typeof from === 'string' ? { localAddress: from } : {};
}

/** Opens a TCP connection and closes it again. The value is this machine's own address on it. */
export function connect({
  address,
  port,
  timeoutMs,
  signal,
  from,
}: { address: string; port: number } & Limits): Promise<Attempt<string>> {
  return new Promise((resolve) => {
    const socket = net.connect({ host: address, port, signal, ...fromAddress(from) });
    const end = (attempt: Attempt<string>): void => {
      socket.destroy();
      resolve(attempt);
    };
    socket.setTimeout(timeoutMs, () => end({ ok: false, failure: failureOf(new TimeUp('no connection', timeoutMs)) }));
    socket.once('connect', () => end({ ok: true, value: socket.localAddress ?? '' }));
    socket.once('error', (error) => end({ ok: false, failure: failureOf(error) }));
  });
}
