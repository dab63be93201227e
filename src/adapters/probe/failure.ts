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

/** Sorts what a socket said into the kinds that a judgement needs. */
export function failureOf(error: unknown): Failure {
  if (error instanceof TimeUp) return { kind: 'silent', reason: error.message };
  return { kind: kinds[codeOf(error) ?? ''] ?? 'broken', reason: alertWords(error) ?? reasonOf(error) };
}

/** OpenSSL puts its file and line into messages; the alert's name is what counts. */
function alertWords(error: unknown): string | null {
  const message = error instanceof Error ? error.message : '';
  const alert = /alert ([a-z ]+?)(:|$|\.)/i.exec(message)?.[1];
  if (alert !== undefined) return `TLS alert "${alert.replace(/ alert$/, '').trim()}"`;
  const reason = /SSL routines:[^:]*:([^:]+)/.exec(message)?.[1];
  return reason === undefined ? null : `TLS: ${reason}`;
}
