/**
 * What comes from outside (an authority, DNS, an engine, another user's file) is parsed once, here, into types of its own. Paths, records and
 * commands are made of these alone: a plain text does not fit where one of them is wanted.
 */

declare const kind: unique symbol;
type Parsed<Kind extends string> = string & { readonly [kind]: Kind };

/** A name of DNS in lower case, without the dot at its end: labels of letters, digits, hyphens and `_` (RFC 1034 §3.5, RFC 8552 §1.2). */
export type DnsName = Parsed<'dns-name'>;
/** The number of an edition, as its folder is called: four digits or more. */
export type EditionNumber = Parsed<'edition-number'>;
/** What a file of somebody else is called where it is kept. */
type KeptName = Parsed<'kept-name'>;
/** What an authority calls a challenge: base64url (RFC 8555 §8.1). */
export type Token = Parsed<'token'>;

const label = '[a-z0-9_](?:[a-z0-9_-]{0,61}[a-z0-9_])?';
const names = new RegExp(`^${label}(?:\\.${label})*$`);

/** Null for anything that is no name. Without case, which DNS does not tell apart (RFC 4343). */
export function dnsName(text: string): DnsName | null {
  const bare = text.toLowerCase().replace(/\.$/, '');
  return bare.length <= 253 && names.test(bare) ? (bare as DnsName) : null;
}

/** Null for what no name of this kind is: of a journal another user may be the author. */
export function keptName(text: string): KeptName | null {
  return /^[0-9a-f]{16}(?:\.off)?$/.test(text) ? (text as KeptName) : null;
}

export function token(text: string): Token | null {
  return /^[A-Za-z0-9_-]{1,200}$/.test(text) ? (text as Token) : null;
}

/** Control characters, line ends too, and marks that turn the direction of writing (UAX #9 §2). */
const obeyed = /[\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]/g;

/** What others wrote, as it may stand within a sentence of ours: what a terminal would obey, and a line end, is seen as `\u001b`. */
export function visible(text: string): string {
  return text.replace(obeyed, (found) => `\\u${found.charCodeAt(0).toString(16).padStart(4, '0')}`);
}

/** The same on one line of bounded length. @param most characters */
export function oneLine(text: string, most = 300): string {
  const line = visible(
    text
      .slice(0, most * 4)
      .replace(/\s+/g, ' ')
      .trim(),
  );
  return line.length > most ? `${line.slice(0, most)}…` : line;
}
