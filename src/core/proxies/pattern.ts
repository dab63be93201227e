import { portNumber } from '../networks/port-number.ts';

/** Text that stands for itself in a regular expression (PCRE). */
export function escapePattern(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}

/** The characters that the verdict lets stand in a host name. */
export const oneLabel = '[0-9a-z_-]+';

/** A Host header that is sound: a name or an address, and a port that is one, or the colon alone (RFC 9110 §7.2, RFC 3986 §3.2.3). */
export const soundHost = `(?:\\[[0-9A-Fa-f:.]+\\]|[0-9A-Za-z._-]+)(?::${portNumber}?)?`;

/** A path, or its beginning, that is not in normal form: what follows `..` may be the query. */
export const abnormal = '//|[\\\\;%]|/\\.{1,2}(?:[/?]|$)';

/** What no file below a folder can be called: dotfiles but `/.well-known/`, encoded slashes, control characters. Without case. @param any what a path is made of */
export function noFile(any: string): string[] {
  return [
    `^${any}*(?://|\\\\|%(?:2f|5c|[01][0-9a-f]|7f))`,
    `^${any}+/(?:\\.|%2e)`,
    `^/(?:\\.|%2e)(?!${eitherWay('well-known/')})`,
  ];
}

/** Each character as itself or percent-encoded; without case, which a file's name has and an encoding has not. */
function eitherWay(text: string): string {
  return [...text]
    .map((letter) => (letter === '/' ? '/' : `(?:${letter}|%${letter.charCodeAt(0).toString(16)})`))
    .join('');
}
