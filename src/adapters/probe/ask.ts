import http, { type IncomingMessage } from 'node:http';
import https from 'node:https';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import type { Limits } from './connect.ts';
import { failureOf, TimeUp } from './failure.ts';

const maxBodyBytes = 256 * 1024;

export interface AskInput extends Limits {
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
}

/**
 * Sends one request without a body and reads the answer: whole, or its first 256 KiB. Certificates are not judged here.
 */
export function ask({
  scheme,
  address,
  port,
  servername,
  target,
  method = 'GET',
  headers,
  timeoutMs,
  signal,
}: AskInput): Promise<Attempt<Answer>> {
  return new Promise((resolve) => {
    const request = (scheme === 'https' ? https : http).request({
      host: address,
      port,
      path: target,
      method,
      headers: { 'accept-encoding': 'identity', 'user-agent': 'mile-marker verify', ...headers },
      setHost: false,
      agent: false,
      signal,
      ...(scheme === 'https'
        ? { servername: servername ?? '', rejectUnauthorized: false, ALPNProtocols: ['http/1.1'] }
        : {}),
    });
    const timer = setTimeout(() => request.destroy(new TimeUp('no whole answer', timeoutMs)), timeoutMs);
    const end = (attempt: Attempt<Answer>): void => {
      clearTimeout(timer);
      request.destroy();
      resolve(attempt);
    };
    request.on('response', (response) => {
      readBody(response, timeoutMs).then(
        (body) => end({ ok: true, value: { status: response.statusCode ?? 0, headers: headersOf(response), body } }),
        (error: unknown) => end({ ok: false, failure: failureOf(error) }),
      );
    });
    request.on('error', (error) => end({ ok: false, failure: failureOf(error) }));
    request.end();
  });
}

/** Streams that never end (events, cameras) are cut after a third of the time: what came so far is the answer. */
async function readBody(response: IncomingMessage, timeoutMs: number): Promise<string> {
  const chunks: Buffer[] = [];
  let length = 0;
  let enough = false;
  const cut = (): void => {
    enough = true;
    response.destroy();
  };
  const timer = setTimeout(cut, timeoutMs / 3);
  try {
    for await (const chunk of response as AsyncIterable<Buffer>) {
      chunks.push(chunk);
      length += chunk.length;
      if (length >= maxBodyBytes) cut();
    }
  } catch (error) {
    if (!enough) throw error;
  } finally {
    clearTimeout(timer);
  }
  return Buffer.concat(chunks).subarray(0, maxBodyBytes).toString('utf8');
}

function headersOf({ rawHeaders }: IncomingMessage): Array<[string, string]> {
  const pairs: Array<[string, string]> = [];
  for (let at = 0; at + 1 < rawHeaders.length; at += 2)
    pairs.push([(rawHeaders[at] ?? '').toLowerCase(), rawHeaders[at + 1] ?? '']);
  return pairs;
}
