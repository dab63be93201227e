import { randomBytes } from 'node:crypto';
import net from 'node:net';
import {
  suitesWithCbc,
  suitesWithoutProtection,
  suitesWithoutSecrecy,
  type TakenSuite,
} from '../../core/legs/tls/weak-suites.ts';
import { fromAddress, type Limits } from './connect.ts';

interface WeakInput extends Limits {
  address: string;
  port: number;
  name: string;
}

/**
 * The weak cipher suite that a server takes from a client that knows nothing else, or null when it refuses all of them. The hello is written here,
 * since the library of this program no longer knows the worst of them.
 */
export async function weakSuite(input: WeakInput): Promise<TakenSuite> {
  const bare = await chosenOf(input, suitesWithoutProtection);
  if (bare.name !== null) return { name: bare.name, hasSecrecy: false, isBare: true };
  const worst = await chosenOf(input, suitesWithoutSecrecy);
  if (worst.name !== null) return { name: worst.name, hasSecrecy: false };
  const cbc = await chosenOf(input, suitesWithCbc);
  if (cbc.name !== null) return { name: cbc.name, hasSecrecy: true };
  return [bare, worst, cbc].every(({ isHeard }) => isHeard) ? null : 'unheard';
}

/** @property isHeard the other end said something, or ended the connection: a silence is no refusal */
interface Chosen {
  name: string | null;
  isHeard: boolean;
}

function chosenOf(
  { address, port, name, timeoutMs, signal, from }: WeakInput,
  suites: ReadonlyMap<number, string>,
): Promise<Chosen> {
  if (signal.aborted) return Promise.resolve({ name: null, isHeard: false });
  return new Promise((resolve) => {
    const socket = net.connect({ host: address, port, signal, ...fromAddress(from) });
    const heard: Buffer[] = [];
    let isTaken = false;
    const end = (isHeard: boolean): void => {
      clearTimeout(timer);
      socket.destroy();
      resolve({ name: suites.get(chosenIn(Buffer.concat(heard)) ?? -1) ?? null, isHeard });
    };
    const timer = setTimeout(() => end(heard.length > 0), timeoutMs);
    socket.once('connect', () => {
      isTaken = true;
      socket.write(clientHello(name, [...suites.keys()]));
    });
    socket.on('data', (chunk: Buffer) => {
      heard.push(chunk);
      // The choice stands at the beginning of the first record.
      if (Buffer.concat(heard).length >= 128) end(true);
    });
    socket.on('error', () => end(isTaken)).once('close', () => end(isTaken));
  });
}

/** RFC 5246 §7.4.1.3: record (5 bytes), handshake header (4), version (2), random (32), session id, and then the suite. Null for an alert. */
function chosenIn(bytes: Buffer): number | null {
  const [type, message, sessionLength = 0] = [bytes[0], bytes[5], bytes[43]];
  const at = 44 + sessionLength;
  return type === 22 && message === 2 && bytes.length >= at + 2 ? bytes.readUInt16BE(at) : null;
}

/** A hello of TLS 1.2 (RFC 5246 §7.4.1.2) that offers these suites alone. */
function clientHello(name: string, suites: readonly number[]): Buffer {
  const extensions = [
    // RFC 6066 §3.
    ...(name === '' ? [] : [extension(0, vector(2, Buffer.concat([Buffer.from([0]), vector(2, Buffer.from(name))])))]),
    // RFC 8422 §5.1: x25519, secp256r1, secp384r1; points uncompressed.
    extension(10, vector(2, numbers(0x001d, 0x0017, 0x0018))),
    extension(11, vector(1, Buffer.from([0]))),
    // RFC 5246 §7.4.1.4.1.
    extension(13, vector(2, numbers(0x0403, 0x0503, 0x0804, 0x0805, 0x0401, 0x0501, 0x0601, 0x0203, 0x0201))),
    // RFC 5746 §3.4.
    extension(0xff01, Buffer.from([0])),
  ];
  const hello = Buffer.concat([
    numbers(0x0303),
    randomBytes(32),
    vector(1, Buffer.alloc(0)),
    vector(2, numbers(...suites)),
    vector(1, Buffer.from([0])),
    vector(2, Buffer.concat(extensions)),
  ]);
  const message = Buffer.concat([Buffer.from([1]), vector(3, hello)]);
  return Buffer.concat([Buffer.from([22, 3, 1]), vector(2, message)]);
}

function extension(kind: number, body: Buffer): Buffer {
  return Buffer.concat([numbers(kind), vector(2, body)]);
}

/** RFC 5246 §4.3: bytes behind their length. @param width bytes of the length */
function vector(width: number, body: Buffer): Buffer {
  const length = Buffer.alloc(width);
  length.writeUIntBE(body.length, 0, width);
  return Buffer.concat([length, body]);
}

function numbers(...values: number[]): Buffer {
  const bytes = Buffer.alloc(values.length * 2);
  for (const [index, value] of values.entries()) bytes.writeUInt16BE(value, index * 2);
  return bytes;
}
