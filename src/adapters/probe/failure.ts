import type { Failure } from '../../core/legs/answer.ts';
import { codeOf, reasonOf } from '../trouble.ts';

/** A time limit of ours that ran out. */
export class TimeUp extends Error {
  constructor(what: string, timeoutMs: number) {
    super(`${what} within ${String(timeoutMs / 1000)} s`);
  }
}

const kinds: Record<string, Failure['kind']> = {
  ECONNREFUSED: 'refused',
  ETIMEDOUT: 'silent',
  EHOSTUNREACH: 'unreachable',
  ENETUNREACH: 'unreachable',
  EADDRNOTAVAIL: 'unreachable',
};

/** What an attempt that ended without a single byte is called. */
export const closedUnheard: Failure = {
  kind: 'closed',
  reason: 'the connection is accepted and closed at once',
  mute: true,
};

/**
 * Sorts what a socket said into the kinds that a judgement needs.
 *
 * @param heard bytes that had come back; null when that is not known
 */
export function failureOf(error: unknown, heard: number | null = null): Failure {
  if (error instanceof TimeUp) return { kind: 'silent', reason: error.message, mute: heard === 0 };
  const code = codeOf(error) ?? '';
  // IPv4 cannot be asked from an IPv6 address, nor the reverse: that is ours, and says nothing about the other end.
  if (error instanceof Error && 'syscall' in error && error.syscall === 'bind')
    return { kind: 'unreachable', reason: 'the address to ask from is not of the same kind' };
  if (heard === 0 && (code === 'ECONNRESET' || code === 'EPIPE')) return closedUnheard;
  const message = typeof error === 'object' && error !== null && 'message' in error ? String(error.message) : '';
  const because = code.startsWith('HPE_') ? 'not-http' : brokenOn(message);
  const about = because === null ? {} : { because };
  return { kind: kinds[code] ?? 'broken', reason: alertWords(message) ?? reasonOf(error), ...about };
}

/** What OpenSSL says of a handshake that failed. */
export function brokenOn(message: string): Exclude<Failure['because'], undefined> | null {
  if (/protocol version|unsupported protocol/i.test(message)) return 'version';
  if (/wrong version number|packet length too long|http request/i.test(message)) return 'not-tls';
  return alertIn(message) === null ? null : 'alert';
}

/** OpenSSL puts its file and line into messages; the alert's name is what counts. */
export function alertWords(message: string): string | null {
  const alert = alertIn(message);
  if (alert !== null) return `TLS alert "${alert}"`;
  const reason = /SSL routines:[^:]*:([^:]+)/.exec(message)?.[1];
  return reason === undefined ? null : `TLS: ${reason}`;
}

function alertIn(message: string): string | null {
  const alert = /alert ([a-z ]+?)(:|$|[.\r\n])/i.exec(message)?.[1];
  return alert === undefined ? null : alert.replace(/ alert$/, '').trim();
}
