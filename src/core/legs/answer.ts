import { visible } from '../outside/words.ts';

/**
 * What an HTTP server answered.
 *
 * @property headers in order, names in lower case
 * @property body the first part of the body as text
 * @property millis how long the head of the answer took, from when the question was sent on a connection that stood; absent when that was not measured
 * @property isPage it is one of the map's own `pages`
 * @property isEndless it went on when it had been read for long enough, as events and pictures of a camera do
 * @property hints whether early hints came before (RFC 8297)
 */
export interface Answer {
  status: number;
  headers: Array<[string, string]>;
  body: string;
  hints?: boolean;
  isEndless?: boolean;
  millis?: number;
  isPage?: boolean;
}

/** What came of one attempt on the network: a value, or the reason why there is none. */
export type Attempt<T> = { ok: true; value: T } | { ok: false; failure: Failure };

/**
 * @property kind `refused`: nobody listens; `silent`: nothing came in time; `closed`: taken, and ended without a single byte;
 *   `cut`: an answer began and did not end; `broken`: garbled; `unreachable`: this machine has no way there, which says nothing
 *   about the other end
 * @property mute not one byte came back
 * @property because what a broken attempt broke on: `alert`: the other end ended the handshake by an alert (RFC 8446 §6); `version`: it
 *   takes none of our versions of TLS; `ended`: the handshake was cut off; `not-tls`, `not-http`: it speaks something else
 */
export interface Failure {
  kind: 'refused' | 'silent' | 'closed' | 'cut' | 'broken' | 'unreachable';
  reason: string;
  mute?: boolean;
  because?: 'alert' | 'version' | 'ended' | 'not-tls' | 'not-http';
}

/** Whether a handshake came to TLS at all: an alert, or no version in common, is an answer in TLS too. */
export function spokeTls(attempt: Attempt<unknown>): boolean {
  return attempt.ok || attempt.failure.because === 'alert' || attempt.failure.because === 'version';
}

/** First value of a header, or null. */
export function headerOf({ headers }: Answer, name: string): string | null {
  return headers.find(([key]) => key === name)?.[1] ?? null;
}

export function isRedirect(status: number): boolean {
  return [301, 302, 303, 307, 308].includes(status);
}

/** Every value of a header, in order. */
export function headersOf({ headers }: Answer, name: string): string[] {
  return headers.filter(([key]) => key === name).map(([, value]) => value);
}

/** The text of the first `<title>`, or null. */
export function titleOf(body: string): string | null {
  const title = /<title[^>]*>([\s\S]*?)<\/title>/i.exec(body)?.[1]?.trim().replace(/\s+/g, ' ');
  return title === undefined || title === '' ? null : visible(title);
}
