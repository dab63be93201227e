import { parseAddress } from './address.ts';
import { portNumber as port } from './port-number.ts';

/**
 * How an edge writes the visitor's address: one reading for the verdict and for every server that is written for. The header holds words
 * between commas, none of them empty and none with a blank inside; a word is an address, or one with a port behind it (an IPv6 one then in brackets).
 */

const octet = '(?:25[0-5]|2[0-4][0-9]|1[0-9]{2}|[1-9]?[0-9])';

/** Patterns that PCRE and this program read alike. An IPv6 address is one by what it is made of; what is none is left to the server's own parser. */
export const saidPatterns = {
  /** Four decimal numbers, as RFC 3986 §3.2.2 writes them: no other form of them is an address. */
  v4: `${octet}(?:\\.${octet}){3}`,
  v6: '[0-9A-Fa-f]{0,4}(?::[0-9A-Fa-f]{0,4}){2,7}(?:(?:\\.[0-9]{1,3}){3})?',
  /** A word that says an address. */
  get word(): string {
    return `(?:${this.v4}(?::${port})?|\\[${this.v6}\\]:${port}|${this.v6})`;
  },
  /** A list whose words are none of them empty, and hold no blank. */
  list: '[ \\t]*[^ \\t,]+(?:[ \\t]*,[ \\t]*[^ \\t,]+)*[ \\t]*',
} as const;

const soundList = new RegExp(`^${saidPatterns.list}$`);
const v4WithPort = new RegExp(`^(${saidPatterns.v4})(?::${port})?$`);
const v6WithPort = new RegExp(`^(?:\\[(${saidPatterns.v6})\\]:${port}|(${saidPatterns.v6}))$`);

export function isListSound(text: string): boolean {
  return soundList.test(text);
}

/** The address that a word of the list says, in comparable form, or null. */
export function addressSaid(word: string): string | null {
  const text = word.replace(/^[ \t]+|[ \t]+$/g, '');
  const [, v4] = v4WithPort.exec(text) ?? [];
  if (v4 !== undefined) return v4;
  const [, inBrackets, bare] = v6WithPort.exec(text) ?? [];
  const v6 = inBrackets ?? bare;
  return v6 === undefined ? null : parseAddress(v6);
}
