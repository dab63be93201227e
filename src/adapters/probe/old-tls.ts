import net from 'node:net';
import { Duplex } from 'node:stream';
import tls from 'node:tls';
import { inOrder, readableChain } from '../certificates/read.ts';
import { anySuite } from './ask.ts';
import { fromAddress, type Limits } from './connect.ts';

interface OldInput extends Limits {
  address: string;
  port: number;
  name: string;
}

/** The protocol that a server takes from a client that knows nothing after TLS 1.1 (RFC 8996), or null when it takes none. */
export function oldProtocol(input: OldInput): Promise<string | null> {
  return shaken(input, upTo('TLSv1.1')).then((socket) => {
    const protocol = socket?.getProtocol()?.replace(/^TLSv(1)$/, 'TLSv1.0') ?? null;
    socket?.destroy();
    return protocol?.replace('TLSv', 'TLS ') ?? null;
  });
}

/**
 * Whether each certificate that a server sends is signed by the next one (RFC 5246 §7.4.2), read from the bytes of a handshake
 * up to TLS 1.2, in which the chain goes over in the open. Null when the server takes none.
 */
export async function chainInOrder(input: OldInput): Promise<boolean | null> {
  const heard: Buffer[] = [];
  const socket = await shaken(input, upTo('TLSv1.2'), (chunk) => heard.push(chunk));
  socket?.destroy();
  const chain = readableChain(certificateMessage(Buffer.concat(heard)));
  return chain === null || chain.length === 0 ? null : inOrder(chain);
}

const contexts = new Map<tls.SecureVersion, tls.SecureContext>();

function upTo(maxVersion: tls.SecureVersion): tls.SecureContext {
  const known = contexts.get(maxVersion);
  const context = known ?? tls.createSecureContext({ ciphers: anySuite, minVersion: 'TLSv1', maxVersion });
  contexts.set(maxVersion, context);
  return context;
}

function shaken(
  { address, port, name, timeoutMs, signal, from }: OldInput,
  secureContext: tls.SecureContext,
  onBytes?: (chunk: Buffer) => void,
): Promise<tls.TLSSocket | null> {
  return new Promise((resolve) => {
    if (signal.aborted) {
      resolve(null);
      return;
    }
    const wire = net.connect({ host: address, port, ...fromAddress(from) });
    const socket = tls.connect({
      socket: onBytes === undefined ? wire : readAlong(wire, onBytes),
      servername: name,
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
      secureContext,
    });
    const abort = (): void => end(null);
    signal.addEventListener('abort', abort, { once: true });
    const timer = setTimeout(abort, timeoutMs);
    const end = (result: tls.TLSSocket | null): void => {
      clearTimeout(timer);
      signal.removeEventListener('abort', abort);
      socket.once('close', () => wire.destroy());
      if (result === null) socket.destroy();
      resolve(result);
    };
    socket.once('secureConnect', () => end(socket));
    for (const one of [socket, wire]) one.on('error', () => end(null)).once('close', () => end(null));
  });
}

/** The same connection, with what comes in shown to `onBytes` first. */
function readAlong(wire: net.Socket, onBytes: (chunk: Buffer) => void): Duplex {
  const through = new Duplex({
    read: () => void wire.resume(),
    write: (chunk: Buffer, _, done) => void wire.write(chunk, done),
    final: (done) => void wire.end(done),
  });
  wire.on('data', (chunk: Buffer) => {
    onBytes(chunk);
    if (!through.push(chunk)) wire.pause();
  });
  wire.once('end', () => through.push(null));
  return through;
}

/** RFC 5246 §6.2.1: records of type 22; §7.4: messages in them, of which type 11 holds the chain. */
function certificateMessage(bytes: Buffer): Buffer[] {
  const parts: Buffer[] = [];
  for (let at = 0; at + 5 <= bytes.length && bytes[at] === 22; at += 5 + bytes.readUInt16BE(at + 3))
    parts.push(bytes.subarray(at + 5, at + 5 + bytes.readUInt16BE(at + 3)));
  const messages = Buffer.concat(parts);
  for (let at = 0; at + 4 <= messages.length; at += 4 + messages.readUIntBE(at + 1, 3)) {
    if (messages[at] !== 11) continue;
    const list = messages.subarray(at + 7, at + 4 + messages.readUIntBE(at + 1, 3));
    const found: Buffer[] = [];
    for (let next = 0; next + 3 <= list.length; next += 3 + list.readUIntBE(next, 3))
      found.push(list.subarray(next + 3, next + 3 + list.readUIntBE(next, 3)));
    return found;
  }
  return [];
}
