import http from 'node:http';
import type { EngineAddress } from './address.ts';

interface EngineRequest {
  method?: 'GET' | 'POST' | 'DELETE';
  path: string;
  /** Sent as JSON. */
  body?: unknown;
  timeoutMs: number;
}

/**
 * One request to the engine's HTTP API, and its whole answer.
 *
 * @throws the system's error when no answer comes, with code `ABORT_ERR` when the whole of it did not come in time
 */
export async function exchange(
  address: EngineAddress,
  { method = 'GET', path, body, timeoutMs }: EngineRequest,
): Promise<{ status: number; body: Buffer }> {
  const response = await open(address, { method, path, body, signal: AbortSignal.timeout(timeoutMs) });
  return { status: response.statusCode ?? 0, body: await whole(response) };
}

/** Of ten thousand containers the list has less than half of this. */
const longestAnswer = 32 << 20;

async function whole(response: http.IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of response as AsyncIterable<Buffer>) {
    length += chunk.length;
    if (length > longestAnswer) throw new Error(`its answer is longer than ${String(longestAnswer >> 20)} MiB`);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}

/** One request, and its answer as it comes. */
export async function open(
  address: EngineAddress,
  { method = 'GET', path, body, signal }: Omit<EngineRequest, 'timeoutMs'> & { signal: AbortSignal },
): Promise<http.IncomingMessage> {
  const text = body === undefined ? null : JSON.stringify(body);
  const headers =
    text === null ? {} : { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(text)) };
  const common = { method, path, headers, signal, agent: false as const };
  const request = await requestTo(address, common);
  request.end(text ?? undefined);
  return new Promise<http.IncomingMessage>((resolve, reject) => {
    request.once('response', resolve);
    request.once('error', reject);
  });
}

/** Node would work out a name for TLS, which a socket has none of, and that takes longer than the request. */
const nameless = { servername: '' };

async function requestTo(address: EngineAddress, common: http.RequestOptions): Promise<http.ClientRequest> {
  switch (address.kind) {
    case 'socket':
      return http.request({ ...common, ...nameless, socketPath: address.path });
    case 'ssh': {
      // Loaded only where there is such a machine.
      const { forwardedSocket } = await import('./forward.ts');
      return http.request({ ...common, ...nameless, socketPath: await forwardedSocket(address) });
    }
    case 'tcp': {
      const { host, port, tls } = address;
      if (tls === null) return http.request({ ...common, host, port });
      // Loaded only where TLS is spoken.
      const { request } = await import('node:https');
      return request({ ...common, host, port, ...tls });
    }
  }
}
