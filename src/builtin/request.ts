import type { IncomingMessage } from 'node:http';
import { constants, Http2ServerRequest } from 'node:http2';
import type { VerdictRequest } from '../core/verdict/verdict.ts';
import type { Visitor } from './visitors.ts';

/** A request of HTTP/1 or HTTP/2: Node gives both the same properties. */
export type AnyRequest = IncomingMessage | Http2ServerRequest;

/** A Node request as the verdict sees it: every Host line, the raw target, the name of the handshake. */
export function toVerdictRequest(request: AnyRequest, { isSecure, sni, peer, device }: Visitor): VerdictRequest {
  // Without a prototype: `constructor` is a header like any other.
  const headers = Object.create(null) as Record<string, string[]>;
  const { rawHeaders } = request;
  const headSize = { lines: 0, longest: 0, hasRepeated: false };
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const name = (rawHeaders[at] ?? '').toLowerCase();
    const value = rawHeaders[at + 1] ?? '';
    headSize.lines += 1;
    if (name.length + value.length > headSize.longest) headSize.longest = name.length + value.length;
    const before = headers[name];
    if (before !== undefined) {
      before.push(value);
      headSize.hasRepeated = true;
    } else if (!name.startsWith(':')) headers[name] = [value];
  }
  return {
    listener: isSecure ? 'https' : 'http',
    sni,
    host: hostLines(request, headers['host'] ?? []),
    method: request.method ?? '',
    target: request.url ?? '',
    httpVersion: request instanceof Http2ServerRequest ? '2.0' : request.httpVersion === '1.0' ? '1.0' : '1.1',
    peer,
    headers,
    headSize,
    person: 'none',
    device,
    overRate: false,
  };
}

/** RFC 9113 §8.3.1: `:authority` stands for Host, and a Host that says something else makes the request malformed. */
function hostLines(request: AnyRequest, lines: readonly string[]): readonly string[] {
  if (!(request instanceof Http2ServerRequest)) return lines;
  const authority = request.headers[':authority'];
  return authority === undefined ? lines : [authority, ...lines.filter((line) => line !== authority)];
}

/** Whether a body follows the head. */
export function hasBody(request: AnyRequest): boolean {
  // HTTP/2 ends a body by a flag, HTTP/1 by what its head announces (RFC 9112 §6.3).
  if (request instanceof Http2ServerRequest) return !request.stream.endAfterHeaders;
  const { headers } = request;
  return headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;
}

/** Ends a request that is not whole: over HTTP/1 with its connection, over HTTP/2 alone (RFC 9113 §7). */
export function cancel(request: AnyRequest): void {
  if (request instanceof Http2ServerRequest) request.stream.close(constants.NGHTTP2_CANCEL);
  else request.destroy();
}

/** The first line of this name, which the caller gives in lower case, or null. */
export function firstLine(rawHeaders: readonly string[], wanted: string): string | null {
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const name = rawHeaders[at] ?? '';
    if (name.length === wanted.length && name.toLowerCase() === wanted) return rawHeaders[at + 1] ?? '';
  }
  return null;
}
