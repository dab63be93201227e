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
  return { kind: kinds[code] ?? 'broken', reason: alertWords(error) ?? reasonOf(error) };
}

/** OpenSSL puts its file and line into messages; the alert's name is what counts. */
function alertWords(error: unknown): string | null {
  const message = error instanceof Error ? error.message : '';
  const alert = /alert ([a-z ]+?)(:|$|\.)/i.exec(message)?.[1];
  if (alert !== undefined) return `TLS alert "${alert.replace(/ alert$/, '').trim()}"`;
  const reason = /SSL routines:[^:]*:([^:]+)/.exec(message)?.[1];
  return reason === undefined ? null : `TLS: ${reason}`;
}
