import { headerOf, titleOf, type Answer } from './answer.ts';

/** What stays the same when one service is asked twice: by this it is known again. */
export interface Fingerprint {
  status: number;
  title: string | null;
  headers: Map<string, string>;
  words: Set<string>;
}

/** Headers by which a service shows itself, and which a front passes on unchanged. */
const telling = ['content-type', 'location', 'www-authenticate', 'etag', 'x-powered-by'];

/** Keeps what two answers to the same question share. Null when not even the status does. */
export function fingerprint(first: Answer, second: Answer): Fingerprint | null {
  if (first.status !== second.status) return null;
  const headers = new Map<string, string>();
  for (const name of telling) {
    const value = headerOf(first, name);
    if (value !== null && value === headerOf(second, name)) headers.set(name, value);
  }
  const later = wordsOf(second.body);
  const words = new Set([...wordsOf(first.body)].filter((word) => later.has(word)));
  const title = titleOf(first.body);
  return { status: first.status, title: title === titleOf(second.body) ? title : null, headers, words };
}

/** `alike`: the answer fits in all that is stable; `nothing`: there is too little to tell one service from another. */
export type Likeness = 'alike' | 'different' | 'nothing';

/** Holds an answer against a fingerprint. Nine words in ten must be there again, since pages carry times and tokens. */
export function compare(print: Fingerprint, answer: Answer): Likeness {
  if (answer.status !== print.status) return 'different';
  if (print.title !== null && titleOf(answer.body) !== print.title) return 'different';
  for (const [name, value] of print.headers) {
    if (headerOf(answer, name) !== value) return 'different';
  }
  const seen = wordsOf(answer.body);
  const kept = [...print.words].filter((word) => seen.has(word)).length;
  if (print.words.size > 0 && kept / print.words.size < 0.9) return 'different';
  if (print.words.size === 0 && seen.size > 0) return 'different';
  const says = print.words.size > 0 || [...print.headers.keys()].some((name) => name !== 'content-type');
  return says ? 'alike' : 'nothing';
}

function wordsOf(body: string): Set<string> {
  return new Set(body.split(/[\s<>"'=&;,(){}[\]]+/).filter((word) => word !== ''));
}
