import net from 'node:net';
import tls from 'node:tls';
import { shownIn } from '../probe/shown-in.ts';
import { fromAddress } from '../probe/connect.ts';
import type { Pair } from '../certificates/make.ts';
import type { Outcome } from '../../core/rehearsal/sent.ts';

interface RawInput {
  /** Default: 127.0.0.1. */
  address?: string;
  port: number;
  /** Bytes to send, as latin1. */
  text: string;
  /** With the certificate of a device, where one is to be shown. */
  tls?: { servername: string | null; device?: Pair | null };
  from?: string;
  /** Stop reading once this has come. */
  until?: string;
  /** How long to wait for more, in milliseconds. */
  idleMs?: number;
}

/** Sends raw bytes and reads until the other end closes, `until` has come, or nothing comes for a while. */
export function sendRaw({
  address = '127.0.0.1',
  port,
  text,
  tls: secure,
  from,
  until,
  idleMs = 10_000,
}: RawInput): Promise<Outcome> {
  return new Promise((resolve) => {
    const plain = net.connect({ host: address, port, ...fromAddress(from) });
    let shaken = secure === undefined;
    let data = '';
    const end = (): void => {
      socket.destroy();
      plain.destroy();
      resolve(shaken ? parse(data) : { kind: 'no-handshake' });
    };
    const socket =
      secure === undefined
        ? plain
        : tls.connect({
            socket: plain,
            rejectUnauthorized: false,
            ...(secure.servername === null ? {} : { servername: secure.servername }),
            ...shownIn(secure.device),
          });
    const send = (): void => {
      shaken = true;
      socket.write(Buffer.from(text, 'latin1'));
    };
    socket.once(secure === undefined ? 'connect' : 'secureConnect', send);
    socket.on('data', (chunk: Buffer) => {
      data += chunk.toString('latin1');
      if (until !== undefined && data.includes(until)) end();
    });
    socket.on('error', end);
    socket.on('close', end);
    // Only a front that keeps the connection open for no reason gets here, and the test then says what it sent.
    socket.setTimeout(idleMs, end);
  });
}

function parse(data: string): Outcome {
  if (data === '') return { kind: 'closed' };
  const [head = '', ...rest] = data.split('\r\n\r\n');
  const [line = '', ...lines] = head.split('\r\n');
  const headers = Object.create(null) as Record<string, string>;
  for (const header of lines) {
    const colon = header.indexOf(':');
    const name = header.slice(0, colon).toLowerCase();
    const value = header.slice(colon + 1).trim();
    headers[name] = headers[name] === undefined ? value : `${headers[name]}, ${value}`;
  }
  return {
    kind: 'answer',
    status: Number(/^HTTP\/1\.[01] (\d{3})/.exec(line)?.[1] ?? 0),
    headers,
    body: rest.join('\r\n\r\n'),
  };
}
