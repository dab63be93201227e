// With the slash it is the package, and not the module of Node that went out of use.
import { toUnicode } from 'punycode/';
import { portNumber } from '../networks/port-number.ts';

/**
 * A host name in its one comparable form.
 *
 * @property ascii lower case, A-labels (RFC 5890 §2.3.2.1), no dot at the end
 * @property unicode the same for people to read
 */
export interface HostName {
  ascii: string;
  unicode: string;
}

export type HostNameProblem =
  | 'empty'
  | 'too-long'
  | 'label-empty'
  | 'label-too-long'
  | 'bad-character'
  | 'hyphen-edge'
  | 'not-idna'
  | 'looks-like-address'
  | 'wildcard';

type HostNameResult = { ok: true; name: HostName } | { ok: false; problem: HostNameProblem; text: string };

/**
 * Brings a host name to its comparable form: UTS 46 (non-transitional), lower case, without the dot at the end.
 *
 * Lengths by RFC 1035 §2.3.4 (label 63, name 253 without the root), characters by RFC 1123 §2.1. A name whose last
 * label is all digits is refused since URL parsers read it as an address (WHATWG URL, "ends in a number").
 */
export function parseHostName(typed: string): HostNameResult {
  const fail = (problem: HostNameProblem, text = typed): HostNameResult => ({ ok: false, problem, text });
  const bare = typed.replace(/[.\u3002]$/u, '');
  if (bare === '') return fail('empty');
  if (bare.includes('*')) return fail('wildcard');
  if (/^\[|::|^[0-9a-f]*:[0-9a-f:]+$/i.test(bare)) return fail('looks-like-address');
  const odd = /[\u0000-\u002c\u002f\u003a-\u0040\u005b-\u0060\u007b-\u007f\s]/u.exec(bare);
  if (odd !== null) return fail('bad-character', odd[0]);
  const ascii = toALabels(bare);
  if (ascii === null) return fail('not-idna');
  const problem = problemOfLabels(ascii.split('.'));
  if (problem !== null) return fail(problem.problem, problem.text);
  if (ascii.length > 253) return fail('too-long');
  return { ok: true, name: { ascii, unicode: ascii.includes('xn--') ? toUnicode(ascii) : ascii } };
}

/**
 * UTS 46 §4, as the URL parser does it (WHATWG URL, "domain to ASCII"), which has the tables already: reading them anew would take longer
 * than reading the map. What it lets through beyond letters, digits and hyphens is refused here.
 */
function toALabels(bare: string): string | null {
  if (/^[\u0000-\u007f]*$/.test(bare) && !/xn--/i.test(bare)) return bare.toLowerCase();
  try {
    const { hostname } = new URL(`http://${bare}`);
    return /^[a-z0-9.-]*$/.test(hostname) ? hostname : null;
  } catch {
    return null;
  }
}

function problemOfLabels(labels: readonly string[]): { problem: HostNameProblem; text: string } | null {
  for (const label of labels) {
    if (label === '') return { problem: 'label-empty', text: '..' };
    if (label.length > 63) return { problem: 'label-too-long', text: label };
    if (label.startsWith('-') || label.endsWith('-')) return { problem: 'hyphen-edge', text: label };
  }
  const last = labels[labels.length - 1] ?? '';
  return /^(\d+|0x[0-9a-f]*)$/.test(last) ? { problem: 'looks-like-address', text: labels.join('.') } : null;
}

/** Whether `name` is `domain` or lies below it. Both in comparable form. */
export function isUnder(name: string, domain: string): boolean {
  return name === domain || name.endsWith(`.${domain}`);
}

const hostAndPort = new RegExp(`^(\\[[0-9a-f:.]+\\]|[a-z0-9._-]+)(?::${portNumber}?)?$`, 'i');

/**
 * Reads a Host header (or the authority of an absolute-form target) as RFC 9110 §7.2 and RFC 3986 §3.2.2 have it:
 * port cut off, lower case, one trailing dot dropped. Null when it cannot be a host.
 */
export function hostOfHeader(value: string): string | null {
  const match = hostAndPort.exec(value);
  if (match === null) return null;
  const host = (match[1] ?? '').toLowerCase().replace(/\.$/, '');
  return host === '' || host.split('.').includes('') ? null : host;
}

/** A name in comparable form; what is none stays as it is, and findings tell of it. */
export function asciiName(name: string): string {
  const result = parseHostName(name);
  return result.ok ? result.name.ascii : name;
}
