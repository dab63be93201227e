import http2 from 'node:http2';
import net from 'node:net';
import tls from 'node:tls';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { anySuite, mostRead } from './ask.ts';
import type { Pair } from '../certificates/make.ts';
import { shownIn } from './shown-in.ts';
import { fromAddress, type Limits } from './connect.ts';
import { failureOf, TimeUp } from './failure.ts';

interface AskTwoInput extends Limits {
  address: string;
  port: number;
  /** Name for the handshake. */
  servername: string;
  /** What is asked for, with the port where visitors write one. */
  authority: string;
  target: string;
  headers: Record<string, string>;
  /** What a device shows in the handshake, where it is asked. */
  device?: Pair | null;
}

/** What browsers do: one GET over HTTP/2 (RFC 9113). Null where the other end does not choose HTTP/2. Certificates are not judged here. */
export function askTwo(input: AskTwoInput): Promise<Attempt<Answer> | null> {
  const { address, port, servername, timeoutMs, signal, from, device } = input;
  return new Promise((resolve) => {
    if (signal.aborted) {
      resolve(null);
      return;
    }
    const wire = net.connect({ host: address, port, ...fromAddress(from) });
    const socket = tls.connect({
      socket: wire,
      servername,
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
      ALPNProtocols: ['h2', 'http/1.1'],
      ciphers: anySuite,
      ...shownIn(device),
    });
    const abort = (): void => end({ ok: false, failure: failureOf(new TimeUp('no complete answer', timeoutMs)) });
    const timer = setTimeout(abort, timeoutMs);
    signal.addEventListener('abort', abort, { once: true });
    const end = (attempt: Attempt<Answer> | null): void => {
      clearTimeout(timer);
      signal.removeEventListener('abort', abort);
      socket.destroy();
      wire.destroy();
      resolve(attempt);
    };
    const fail = (error: unknown): void => end({ ok: false, failure: failureOf(error, wire.bytesRead) });
    wire.on('error', fail);
    socket.on('error', fail);
    socket.once('secureConnect', () => {
      if (socket.alpnProtocol !== 'h2') end(null);
      else void overSession(socket, input).then(end, fail);
    });
  });
}

/** As over HTTP/1.1, an answer that never ends is taken for what came in a third of the time. */
function overSession(
  socket: tls.TLSSocket,
  { authority, target, headers, timeoutMs }: AskTwoInput,
): Promise<Attempt<Answer>> {
  return new Promise((resolve, reject) => {
    const session = http2.connect(`https://${authority}`, { createConnection: () => socket });
    session.on('error', reject);
    session.once('close', () => reject(new Error('the connection was closed')));
    const request = session.request(
      {
        ':method': 'GET',
        ':scheme': 'https',
        ':authority': authority,
        ':path': target,
        'accept-encoding': 'identity',
        'user-agent': 'mile-marker verify',
        ...headers,
      },
      { endStream: true },
    );
    const chunks: Buffer[] = [];
    let length = 0;
    let head: { status: number; headers: Array<[string, string]> } | null = null;
    const done = (): void => {
      if (head === null) reject(new Error('the stream ended without an answer'));
      else
        resolve({ ok: true, value: { ...head, body: Buffer.concat(chunks).subarray(0, mostRead).toString('utf8') } });
    };
    request.on('error', reject);
    request.on('response', (fields, _flags, ...rest: unknown[]) => {
      setTimeout(done, timeoutMs / 3).unref();
      // As they came: the library joins several fields of one name into one.
      const [raw] = rest;
      head = { status: fields[':status'] ?? 0, headers: Array.isArray(raw) ? pairsOf(raw as string[]) : [] };
    });
    request.on('data', (chunk: Buffer) => {
      chunks.push(chunk);
      length += chunk.length;
      if (length >= mostRead) done();
    });
    request.once('end', done);
  });
}

function pairsOf(raw: readonly string[]): Array<[string, string]> {
  const pairs: Array<[string, string]> = [];
  for (let at = 0; at + 1 < raw.length; at += 2) {
    const name = raw[at] ?? '';
    if (!name.startsWith(':')) pairs.push([name.toLowerCase(), raw[at + 1] ?? '']);
  }
  return pairs;
}
