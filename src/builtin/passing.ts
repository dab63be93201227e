import { forgeable, singular, type AnswerRules } from '../core/verdict/verdict.ts';
import type { Forward } from './forward.ts';

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
const ofConnection: ReadonlySet<string> = new Set(hopByHop);
const neverFromVisitors: ReadonlySet<string> = new Set([...hopByHop, ...forgeable]);

/** Names of other letters are dropped: many programs read `X_Forwarded_For` and `X.Forwarded.For` as `X-Forwarded-For`. */
const plainName = /^[A-Za-z0-9-]+$/;

/** The header lines of a request as its service gets them, name and value by turns: what the front says itself, then what may pass of the visitor's. */
export function linesToService(rawHeaders: readonly string[], { headers, without }: Forward): string[] {
  const lines: string[] = [];
  for (const name in headers) lines.push(name, headers[name] ?? '');
  const named = namedByConnection(rawHeaders);
  const seen = new Set<string>();
  let cookies = '';
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const given = rawHeaders[at] ?? '';
    const value = rawHeaders[at + 1] ?? '';
    const name = given.toLowerCase();
    if (!plainName.test(name) || neverFromVisitors.has(name) || Object.hasOwn(headers, name)) continue;
    if (without.includes(name) || named?.has(name) === true) continue;
    if (singular.has(name)) {
      if (seen.has(name)) continue;
      seen.add(name);
    }
    // HTTP/2 may send a cookie in crumbs; on HTTP/1 it is one line (RFC 9113 §8.2.3, RFC 6265 §5.4).
    if (name === 'cookie') cookies = cookies === '' ? value : `${cookies}; ${value}`;
    else lines.push(given, value);
  }
  if (cookies !== '') lines.push('Cookie', cookies);
  return lines;
}

/** A service's header lines as the visitor gets them: with what the road's rules take away, set, and add where nothing is said. */
export function linesToVisitor(rawHeaders: readonly string[], { drop, set, defaults }: AnswerRules): string[] {
  const lines: string[] = [];
  const said = new Set<string>();
  const named = namedByConnection(rawHeaders);
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const given = rawHeaders[at] ?? '';
    const name = given.toLowerCase();
    if (ofConnection.has(name) || drop.includes(name) || named?.has(name) === true) continue;
    said.add(name);
    lines.push(given, rawHeaders[at + 1] ?? '');
  }
  for (const [name, value] of set) {
    said.add(name.toLowerCase());
    lines.push(name, value);
  }
  for (const [name, value] of defaults) if (!said.has(name.toLowerCase())) lines.push(name, value);
  return lines;
}

/** What `Connection` says belongs to this connection too, but for lengths and Host, which nobody takes away by that. Null: nothing. */
function namedByConnection(rawHeaders: readonly string[]): Set<string> | null {
  let named: Set<string> | null = null;
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const name = rawHeaders[at] ?? '';
    if (name.length !== 'connection'.length || name.toLowerCase() !== 'connection') continue;
    for (const token of (rawHeaders[at + 1] ?? '').toLowerCase().split(',')) {
      const one = token.trim();
      if (one !== 'close' && one !== 'keep-alive' && one !== 'content-length' && one !== 'host')
        (named ??= new Set()).add(one);
    }
  }
  return named;
}
