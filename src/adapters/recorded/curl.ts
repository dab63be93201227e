import type { Answer, Attempt, Failure } from '../../core/legs/answer.ts';
import type { Opened } from '../../core/legs/passing/websocket.ts';
import type { SeenAnswer, SeenLive } from '../../core/look/seen.ts';
import { brokenOn } from '../probe/failure.ts';
import { textOf } from './text.ts';

/** curl(1), EXIT CODES. */
export function failureOf({ exit, error, connected, bytes }: SeenAnswer): Failure {
  const reason = error.replace(/^curl: \(\d+\) /, '') || `curl ended with ${String(exit)}`;
  if (exit === 7 && /refused/i.test(reason)) return { kind: 'refused', reason };
  if (exit === 7 || exit === 6) return { kind: 'unreachable', reason };
  if (exit === 28) return { kind: 'silent', reason, mute: connected && bytes === '' };
  if (exit === 52) return { kind: 'closed', reason, mute: true };
  if (exit === 18) return { kind: 'cut', reason };
  const because = exit === 1 || exit === 8 ? 'not-http' : brokenOn(reason);
  return { kind: 'broken', reason, ...(because === null ? {} : { because }) };
}

/** What curl wrote down of an answer, its head included (curl(1), --include). */
export function answerOf(seen: SeenAnswer): Attempt<Answer> {
  const whole = Buffer.from(seen.bytes, 'hex').toString('utf8');
  const match = /^HTTP\/[\d.]+ (\d{3})[^\r\n]*\r?\n([\s\S]*?)\r?\n\r?\n([\s\S]*)$/.exec(`${whole}`);
  // A stream that never ends is cut off by the time limit: what came so far is the answer.
  if (seen.exit !== 0 && !(seen.exit === 28 && match !== null)) return { ok: false, failure: failureOf(seen) };
  if (match === null)
    return { ok: false, failure: { kind: 'broken', reason: 'the answer is no HTTP', because: 'not-http' } };
  const [, status = '0', head = '', body = ''] = match;
  const headers = head.split(/\r?\n/).flatMap((line): Array<[string, string]> => {
    const colon = line.indexOf(':');
    return colon === -1 ? [] : [[line.slice(0, colon).toLowerCase(), line.slice(colon + 1).trim()]];
  });
  return { ok: true, value: { status: Number(status), headers, body } };
}

/** What came of an asked-for WebSocket (RFC 6455 §4.2.2). Behind the blank line come frames, if any. */
export function openedOf({ bytes }: SeenLive): Opened {
  const [, status, frames = ''] = /^HTTP\/[\d.]+ (\d{3})[^]*?\r?\n\r?\n([^]*)$/.exec(textOf(bytes)) ?? [];
  if (status === undefined) return { ok: false, reason: 'the connection was closed' };
  return status === '101' ? { ok: true, answered: frames !== '' } : { ok: false, reason: `status ${status}` };
}
