import type { IncomingMessage } from 'node:http';
import { Http2ServerRequest } from 'node:http2';
import { TLSSocket } from 'node:tls';
import type { VerdictRequest } from '../core/verdict/verdict.ts';

/** A request of HTTP/1 or HTTP/2: Node gives both the same properties. */
export type AnyRequest = IncomingMessage | Http2ServerRequest;

/** A Node request as the verdict sees it: every Host line, the raw target, the name of the handshake. */
export function toVerdictRequest(request: AnyRequest): VerdictRequest {
  const { socket } = request;
  // Without a prototype: `constructor` is a header like any other.
  const headers = Object.create(null) as Record<string, string[]>;
  for (const [name, value] of headerLines(request.rawHeaders)) (headers[name.toLowerCase()] ??= []).push(value);
  return {
    listener: socket instanceof TLSSocket ? 'https' : 'http',
    sni: socket instanceof TLSSocket && typeof socket.servername === 'string' ? socket.servername : null,
    host: hostLines(request, headers['host'] ?? []),
    method: request.method ?? '',
    target: request.url ?? '',
    httpVersion: request instanceof Http2ServerRequest ? '2.0' : request.httpVersion === '1.0' ? '1.0' : '1.1',
    peer: socket.remoteAddress ?? '',
    headers,
    person: 'none',
    overRate: false,
  };
}

/** RFC 9113 §8.3.1: `:authority` stands for Host, and a Host that says something else makes the request malformed. */
function hostLines(request: AnyRequest, lines: readonly string[]): readonly string[] {
  if (!(request instanceof Http2ServerRequest)) return lines;
  const authority = request.headers[':authority'];
  return authority === undefined ? lines : [authority, ...lines.filter((line) => line !== authority)];
}

/** Pairs of name and value in the order and case in which they came, without the pseudo-headers of HTTP/2 (RFC 9113 §8.3). */
export function headerLines(rawHeaders: readonly string[]): Array<[string, string]> {
  const lines: Array<[string, string]> = [];
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const name = rawHeaders[at] ?? '';
    if (!name.startsWith(':')) lines.push([name, rawHeaders[at + 1] ?? '']);
  }
  return lines;
}

/** Headers that belong to one connection and are never passed on (RFC 9110 §7.6.1), and those that an upgrade brings. */
const hopByHop = [
  'connection',
  'expect',
  'http2-settings',
  'keep-alive',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
];

/**
 * The header lines that may pass to the other side: without those of this connection, the ones that `Connection` names,
 * and the ones in `replaced`. Lengths and Host are never dropped on a client's say.
 */
export function passable(rawHeaders: readonly string[], replaced: readonly string[] = []): Array<[string, string]> {
  const lines = headerLines(rawHeaders);
  const named = lines
    .filter(([name]) => name.toLowerCase() === 'connection')
    .flatMap(([, value]) => value.split(',').map((token) => token.trim().toLowerCase()))
    .filter((token) => token !== 'content-length' && token !== 'host');
  const dropped = new Set([...hopByHop, ...named, ...replaced]);
  return lines.filter(([name]) => !dropped.has(name.toLowerCase()));
}

/** The header lines of a request without names that have an underscore: many programs read `X_Forwarded_For` as `X-Forwarded-For`. */
export function withoutUnderscores(lines: ReadonlyArray<[string, string]>): Array<[string, string]> {
  return lines.filter(([name]) => !name.includes('_'));
}

/** HTTP/2 may send a cookie in crumbs; on HTTP/1 it is one line (RFC 9113 §8.2.3). */
export function withOneCookie(lines: ReadonlyArray<[string, string]>): Array<[string, string]> {
  const isCookie = ([name]: readonly [string, string]): boolean => name.toLowerCase() === 'cookie';
  const crumbs = lines.filter(isCookie).map(([, value]) => value);
  const rest = lines.filter((line) => !isCookie(line));
  return crumbs.length === 0 ? rest : [...rest, ['Cookie', crumbs.join('; ')]];
}
