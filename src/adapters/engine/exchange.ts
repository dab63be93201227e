import http from 'node:http';
import https from 'node:https';
import { buffer } from 'node:stream/consumers';
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
  return { status: response.statusCode ?? 0, body: await buffer(response) };
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
  const request =
    address.kind === 'socket'
      ? http.request({ ...common, socketPath: address.path })
      : address.tls === null
        ? http.request({ ...common, host: address.host, port: address.port })
        : https.request({ ...common, host: address.host, port: address.port, ...address.tls });
  request.end(text ?? undefined);
  return new Promise<http.IncomingMessage>((resolve, reject) => {
    request.once('response', resolve);
    request.once('error', reject);
  });
}
