import { STATUS_CODES, type ServerResponse } from 'node:http';
import { Http2ServerResponse } from 'node:http2';
import { frontWords } from '../core/proxies/builtin/words.ts';

/** A response of HTTP/1 or HTTP/2: Node gives both the same methods. */
export type AnyResponse = ServerResponse | Http2ServerResponse;

/** What the front itself says. Nothing of the inside stands in it. */
const explanations: Record<number, string> = {
  400: 'The request is malformed.',
  401: 'Please log in with a name and a password.',
  403: 'You cannot open this page from here.',
  404: 'There is no page here.',
  405: 'This method is not allowed here.',
  412: 'The file does not match the conditions of the request.',
  413: 'The request is longer than is allowed here.',
  416: 'The file does not have that part.',
  414: 'The address is longer than is allowed here.',
  421: 'This connection was made for another name.',
  429: 'Too many requests from your address. Wait a moment.',
  431: 'The headers of the request are too long.',
  501: 'The request has a transfer encoding that is not supported here.',
  502: 'The service behind this page cannot be reached.',
  503: 'This page is switched off for a while.',
  504: 'The service behind this page does not answer in time.',
};

/** @property page text of a page of the map's own */
interface Own {
  location?: string | undefined;
  body?: string | undefined;
  page?: string | undefined;
}

/** Sends an answer of the front's own, with a short text unless it redirects or has no content. */
export function sendAnswer(
  response: AnyResponse,
  status: number,
  headers: Record<string, string>,
  { location, body, page }: Own = {},
): void {
  if (response.headersSent) {
    breakOff(response);
    return;
  }
  const reason = STATUS_CODES[status] ?? '';
  const bare = location !== undefined || status === 204;
  const text =
    page ?? body ?? (bare ? '' : `${frontWords} ${String(status)} ${reason}. ${explanations[status] ?? ''}\n`);
  writeHead(response, status, [
    ...(location === undefined ? [] : ['location', location]),
    ...(bare ? [] : ['content-type', `text/${page === undefined ? 'plain' : 'html'}; charset=utf-8`]),
    ...Object.entries(headers).flat(),
    // RFC 9110 §8.6: none with 204.
    ...(status === 204 ? [] : ['content-length', String(Buffer.byteLength(text))]),
  ]);
  response.end(text);
}

/**
 * Writes a head whose names may stand more than once, such as Set-Cookie.
 *
 * @param lines name and value by turns @throws what Node throws for lines that are none
 */
export function writeHead(response: AnyResponse, status: number, lines: string[], reason?: string): void {
  // HTTP/2 has no reason phrase (RFC 9113 §8.3.2).
  if (response instanceof Http2ServerResponse) response.writeHead(status, combined(lines));
  else response.writeHead(status, reason ?? STATUS_CODES[status], lines);
}

/** Ends an answer that cannot be whole so that the visitor sees it. */
export function breakOff(response: AnyResponse): void {
  // Without an error HTTP/2 would call it finished.
  response.destroy(response instanceof Http2ServerResponse ? new Error('the answer broke off') : undefined);
}

/**
 * Lines of one name as one (RFC 9110 §5.3), but for Set-Cookie, which cannot be joined: Node's HTTP/2 keeps only the last line of a name, and throws
 * where a name that should stand once is given a list.
 */
function combined(lines: readonly string[]): Record<string, string | string[]> {
  // Without a prototype: `constructor` is a header like any other.
  const headers = Object.create(null) as Record<string, string | string[]>;
  const cookies: string[] = [];
  for (let at = 0; at + 1 < lines.length; at += 2) {
    const name = (lines[at] ?? '').toLowerCase();
    const value = lines[at + 1] ?? '';
    const before = headers[name];
    if (name === 'set-cookie') cookies.push(value);
    else headers[name] = before === undefined ? value : `${String(before)}, ${value}`;
  }
  if (cookies.length > 0) headers['set-cookie'] = cookies;
  return headers;
}
