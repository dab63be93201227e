import dgram from 'node:dgram';
import net from 'node:net';
import type { Attempt } from '../../core/legs/answer.ts';
import type { Knock } from '../../core/legs/raw.ts';
import { fromAddress, type Limits } from './connect.ts';
import { codeOf } from '../trouble.ts';
import { failureOf, TimeUp } from './failure.ts';

/** So long a connection is watched: whoever refuses by a gate does it at once. */
const watchMs = 700;

interface At {
  address: string;
  port: number;
}

/** Opens a TCP connection, says nothing, and sees whether it is ended at once. */
export function knock({ address, port, timeoutMs, signal, from }: At & Limits): Promise<Attempt<Knock>> {
  return new Promise((resolve) => {
    const socket = net.connect({ host: address, port, signal, ...fromAddress(from) });
    let taken: string | null = null;
    const end = (attempt: Attempt<Knock>): void => {
      clearTimeout(watch);
      socket.destroy();
      resolve(attempt);
    };
    let watch = setTimeout(
      () => end({ ok: false, failure: failureOf(new TimeUp('no connection', timeoutMs)) }),
      timeoutMs,
    );
    const settle = (stays: boolean): void => end({ ok: true, value: { from: taken ?? '', stays } });
    socket.once('connect', () => {
      taken = socket.localAddress ?? '';
      clearTimeout(watch);
      watch = setTimeout(() => settle(true), Math.min(watchMs, timeoutMs));
    });
    // Some services speak first.
    socket.once('data', () => settle(true));
    socket.once('end', () => settle(false));
    socket.once('error', (error) => {
      if (taken !== null) settle(false);
      // Taken and reset in one go, before anybody here heard of it.
      else if (codeOf(error) === 'ECONNRESET')
        void ownAddress(address).then((own) => end({ ok: true, value: { from: from ?? own, stays: false } }));
      else end({ ok: false, failure: failureOf(error) });
    });
  });
}

/** The address of this machine from which another one is reached; empty when it cannot be said. No byte is sent for it. */
function ownAddress(address: string): Promise<string> {
  return new Promise((resolve) => {
    const socket = dgram.createSocket(address.includes(':') ? 'udp6' : 'udp4');
    const done = (own: string): void => {
      socket.close();
      resolve(own);
    };
    socket.once('error', () => done(''));
    // By the event: a callback would get the error of a machine without a way there, too.
    socket.once('connect', () => done(socket.address().address));
    socket.connect(9, address);
  });
}

/** Sends an empty datagram, which no service has to understand, and hears whether the machine says that nothing listens there (RFC 1122 §4.1.3.1). */
export function knockByDatagram({ address, port, timeoutMs, signal, from }: At & Limits): Promise<Attempt<Knock>> {
  return new Promise((resolve) => {
    const socket = dgram.createSocket({ type: address.includes(':') ? 'udp6' : 'udp4', signal });
    const end = (attempt: Attempt<Knock>): void => {
      clearTimeout(watch);
      socket.removeAllListeners('error').on('error', () => undefined);
      try {
        socket.close();
      } catch {
        // It is closed already.
      }
      resolve(attempt);
    };
    const watch = setTimeout(() => end({ ok: true, value: { from: '', stays: true } }), Math.min(watchMs, timeoutMs));
    socket.on('error', (error) => end({ ok: false, failure: failureOf(error) }));
    socket.once('connect', () => socket.send(Buffer.alloc(0)));
    const connect = (): void => socket.connect(port, address);
    if (typeof from === 'string') socket.bind(0, from, connect);
    else connect();
  });
}
