import dgram from 'node:dgram';
import net from 'node:net';
import tls from 'node:tls';
import type { Attempt } from '../../core/legs/answer.ts';
import type { Knock } from '../../core/legs/way/raw.ts';
import { anySuite } from './ask.ts';
import { fromAddress, type Limits } from './connect.ts';
import { codeOf } from '../trouble.ts';
import { failureOf, TimeUp } from './failure.ts';

/** So long a connection is watched: whoever refuses by a gate does it at once. */
const watchMs = 700;

interface At {
  address: string;
  port: number;
}

/** So much of what a service says first is kept. */
const mostHeard = 256;

/** A greeting may come in pieces. */
const restMs = 60;

interface KnockInput extends At, Limits {
  /** Sent first: what a front tells the service (PROXY protocol, version 1). */
  first?: string;
  /** How long a first word is waited for. Default: as long as a refusal takes. */
  patienceMs?: number;
  /** TLS ends there, for this name; certificates are not judged here. */
  tls?: string;
}

/** Opens a TCP connection, says nothing of its own, hears what the other end says first, and sees whether it ends at once. */
export function knock({
  address,
  port,
  timeoutMs,
  signal,
  from,
  first,
  patienceMs = watchMs,
  tls: name,
}: KnockInput): Promise<Attempt<Knock>> {
  return new Promise((resolve) => {
    const wire = net.connect({ host: address, port, signal, ...fromAddress(from) });
    const socket = name === undefined ? wire : secured(wire, name);
    let taken: string | null = null;
    let says = '';
    const end = (attempt: Attempt<Knock>): void => {
      clearTimeout(watch);
      wire.destroy();
      resolve(attempt);
    };
    let watch = setTimeout(
      () => end({ ok: false, failure: failureOf(new TimeUp('no connection', timeoutMs)) }),
      timeoutMs,
    );
    const settle = (stays: boolean): void => end({ ok: true, value: { from: taken ?? '', stays, says } });
    const settleIn = (stays: boolean, inMs: number): void => {
      clearTimeout(watch);
      watch = setTimeout(() => settle(stays), Math.min(inMs, timeoutMs));
    };
    wire.once('connect', () => {
      taken = wire.localAddress ?? '';
      if (name === undefined) settleIn(true, patienceMs);
      if (first !== undefined) wire.write(first);
    });
    socket.once('secureConnect', () => settleIn(true, patienceMs));
    // Some services speak first.
    socket.on('data', (bytes: Buffer) => {
      says = `${says}${bytes.toString('latin1')}`.slice(0, mostHeard);
      settleIn(true, restMs);
    });
    socket.once('end', () => settle(says !== ''));
    const fail = (error: unknown): void => {
      if (taken !== null) settle(false);
      // Taken and reset in one go, before anybody here heard of it.
      else if (codeOf(error) === 'ECONNRESET')
        void ownAddress(address).then((own) => end({ ok: true, value: { from: from ?? own, stays: false, says } }));
      else end({ ok: false, failure: failureOf(error) });
    };
    wire.once('error', fail);
    if (socket !== wire) socket.once('error', fail);
  });
}

function secured(socket: net.Socket, servername: string): tls.TLSSocket {
  return tls.connect({
    socket,
    servername,
    rejectUnauthorized: false,
    checkServerIdentity: () => undefined,
    ciphers: anySuite,
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
    const watch = setTimeout(
      () => end({ ok: true, value: { from: '', stays: true, says: '' } }),
      Math.min(watchMs, timeoutMs),
    );
    socket.on('error', (error) => end({ ok: false, failure: failureOf(error) }));
    socket.once('connect', () => socket.send(Buffer.alloc(0)));
    const connect = (): void => socket.connect(port, address);
    if (typeof from === 'string') socket.bind(0, from, connect);
    else connect();
  });
}
