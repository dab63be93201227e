import http, { type IncomingMessage } from 'node:http';
import https from 'node:https';
import { Readable } from 'node:stream';
import { createSecureContext, type SecureContext } from 'node:tls';
import { promisify } from 'node:util';
import { brotliDecompress, constants, unzip } from 'node:zlib';
import type { Answer, Attempt, Failure } from '../../core/legs/answer.ts';
import { fromAddress, type Limits } from './connect.ts';
import type { Pair } from '../certificates/make.ts';
import { shownIn } from './shown-in.ts';
import { codeOf } from '../trouble.ts';
import { failureOf, TimeUp } from './failure.ts';

/** So much of a body is read. */
export const mostRead = 256 * 1024;

/** More than any front passes on, so that what a front refuses is seen to be refused. */
const maxHeadBytes = 128 * 1024;

interface AskInput extends Limits {
  scheme: 'http' | 'https';
  /** Where to dial; a name only for services that the map gives by name. */
  address: string;
  port: number;
  /** Name for the TLS handshake. */
  servername?: string;
  target: string;
  /** Default: GET. */
  method?: string;
  headers: Record<string, string>;
  /** So many bytes of a body are announced, and not sent; 100 is an answer then. */
  announces?: number;
  /** So many bytes of a body are sent: nothing but blanks. */
  sends?: number;
  /** What a device shows in the handshake, where it is asked. */
  device?: Pair | null;
  /** Connections that may be used again, of https; default: one of its own. */
  kept?: https.Agent;
}

/**
 * Sends one request without a body and reads the answer: whole, or its first 256 KiB. Certificates are not judged here.
 */
export async function ask(input: AskInput): Promise<Attempt<Answer>> {
  const agent = input.scheme === 'https' ? (input.kept ?? false) : false;
  const { attempt, isStale } = await askOnce(input, agent);
  if (agent === false) return attempt;
  // A server may close a connection that it kept at any time, also under a question (RFC 9112 §9.3.1).
  // Behind early hints a front that does not read past them may pass on the answer too, where the connection stays open; over HTTP/2 it does not.
  const isHinted = attempt.ok && attempt.value.hints;
  return isStale || isHinted ? (await askOnce(input, false)).attempt : attempt;
}

/** @property isStale nothing was answered on a connection that others had used before */
interface Asked {
  attempt: Attempt<Answer>;
  isStale: boolean;
}

function askOnce(
  {
    scheme,
    address,
    port,
    servername,
    target,
    method = 'GET',
    headers,
    announces,
    sends,
    timeoutMs,
    signal,
    from,
    device = null,
  }: AskInput,
  agent: http.Agent | false,
): Promise<Asked> {
  return new Promise((resolve) => {
    const request = (scheme === 'https' ? https : http).request({
      host: address,
      port,
      path: target,
      method,
      headers: {
        'accept-encoding': 'identity',
        'user-agent': 'mile-marker verify',
        ...(announces === undefined ? {} : { 'content-length': String(announces), expect: '100-continue' }),
        ...(sends === undefined ? {} : { 'content-length': String(sends), 'content-type': 'application/octet-stream' }),
        ...headers,
      },
      setHost: false,
      maxHeaderSize: maxHeadBytes,
      agent,
      signal,
      ...fromAddress(from),
      ...(scheme === 'https'
        ? {
            servername: servername ?? '',
            rejectUnauthorized: false,
            ALPNProtocols: ['http/1.1'],
            secureContext: contextWith(device),
            // By these connections of one device are told from those of another; the context has them.
            ...shownIn(device),
          }
        : {}),
    });
    const timer = setTimeout(() => request.destroy(new TimeUp('no complete answer', timeoutMs)), timeoutMs);
    const end = (attempt: Attempt<Answer>): void => {
      clearTimeout(timer);
      request.destroy();
      const isStale = !attempt.ok && request.reusedSocket && !answered && attempt.failure.kind !== 'silent';
      resolve({ attempt, isStale });
    };
    let answered = false;
    let hints = false;
    let sentAt = performance.now();
    const sentNow = (): void => void (sentAt = performance.now());
    request.on('socket', (socket) => {
      if (request.reusedSocket) sentNow();
      else socket.once(scheme === 'https' ? 'secureConnect' : 'connect', sentNow);
    });
    request.on('information', ({ statusCode }) => (hints ||= statusCode === 103));
    request.on('response', (response) => {
      const { statusCode: status = 0 } = response;
      answered = true;
      const millis = Math.round(performance.now() - sentAt);
      readBody(response, timeoutMs).then(
        ({ body, isEndless }) =>
          end({ ok: true, value: { status, headers: headersOf(response), body, hints, millis, isEndless } }),
        (error: unknown) => end({ ok: false, failure: cutShort(error) }),
      );
    });
    request.on('continue', () => end({ ok: true, value: { status: 100, headers: [], body: '' } }));
    request.on('error', (error) =>
      end({ ok: false, failure: failureOf(error, request.socket === null ? null : request.socket.bytesRead) }),
    );
    if (sends !== undefined) Readable.from(blanks(sends)).pipe(request);
    else if (announces === undefined) request.end();
    else request.flushHeaders();
  });
}

function* blanks(count: number): Generator<Buffer> {
  const piece = Buffer.alloc(64 * 1024, ' ');
  for (let left = count; left > 0; left -= piece.length) yield piece.subarray(0, Math.min(left, piece.length));
}

/** Weak certificates and suites must be seen to be told of; judging them is not the library's. */
export const anySuite = 'DEFAULT@SECLEVEL=0';

let context: SecureContext | undefined;
/** Making one takes longer than half a handshake. */
function contextWith(device: Pair | null): SecureContext {
  if (device === null) return (context ??= createSecureContext({ ciphers: anySuite }));
  const known = contexts.get(device);
  if (known !== undefined) return known;
  const made = createSecureContext({ ciphers: anySuite, ...shownIn(device) });
  contexts.set(device, made);
  return made;
}

const contexts = new WeakMap<Pair, SecureContext>();

function cutShort(error: unknown): Failure {
  const failure = failureOf(error);
  return codeOf(error) === 'ECONNRESET' ? { kind: 'cut', reason: failure.reason } : failure;
}

/** Streams that never end (events, cameras) are cut after a third of the time: what came so far is the answer. */
async function readBody(response: IncomingMessage, timeoutMs: number): Promise<{ body: string; isEndless: boolean }> {
  const chunks: Buffer[] = [];
  let length = 0;
  let enough = false;
  const cut = (): void => {
    enough = true;
    response.destroy();
  };
  let isEndless = false;
  const timer = setTimeout(() => {
    isEndless = true;
    cut();
  }, timeoutMs / 3);
  try {
    for await (const chunk of response as AsyncIterable<Buffer>) {
      chunks.push(chunk);
      length += chunk.length;
      if (length >= mostRead) cut();
    }
  } catch (error) {
    if (!enough) throw error;
  } finally {
    clearTimeout(timer);
  }
  const coding = (response.headers['content-encoding'] ?? 'identity').trim().toLowerCase();
  const whole = await decoded(Buffer.concat(chunks).subarray(0, mostRead), coding, enough);
  return { body: whole.toString('utf8'), isEndless };
}

/** Some servers compress whatever one asks for (RFC 9110 §8.4.1). Of what we cut off ourselves the beginning is opened. */
async function decoded(bytes: Buffer, coding: string, isCut: boolean): Promise<Buffer> {
  const limit = { maxOutputLength: 16 * 1024 * 1024 };
  const zlib = { ...limit, finishFlush: isCut ? constants.Z_SYNC_FLUSH : constants.Z_FINISH };
  const brotli = {
    ...limit,
    finishFlush: isCut ? constants.BROTLI_OPERATION_FLUSH : constants.BROTLI_OPERATION_FINISH,
  };
  if (bytes.length === 0 || !['br', 'gzip', 'deflate'].includes(coding)) return bytes;
  try {
    const whole = coding === 'br' ? promisify(brotliDecompress)(bytes, brotli) : promisify(unzip)(bytes, zlib);
    return (await whole).subarray(0, mostRead);
  } catch (cause) {
    throw new Error(`its body does not match its content-encoding (${coding})`, { cause });
  }
}

function headersOf({ rawHeaders }: IncomingMessage): Array<[string, string]> {
  const pairs: Array<[string, string]> = [];
  for (let at = 0; at + 1 < rawHeaders.length; at += 2)
    pairs.push([(rawHeaders[at] ?? '').toLowerCase(), rawHeaders[at + 1] ?? '']);
  return pairs;
}
