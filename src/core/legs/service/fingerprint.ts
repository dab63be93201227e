import { headersOf, titleOf, type Answer } from '../answer.ts';

/** What of an answer is held against others. Words stand as numbers: a page must not be kept for the sake of its words. */
export interface Traits {
  status: number;
  title: string | null;
  headers: Map<string, string>;
  words: Set<number>;
}

/** What stays the same when one service is asked twice: by this it is known again. */
export type Fingerprint = Traits;

/** Headers by which a service shows itself, and which a front passes on unchanged. */
const telling = ['content-type', 'location', 'www-authenticate', 'etag', 'x-powered-by'];

/** No page needs more than its beginning to be told from another. */
const mostLetters = 32 * 1024;

export function traitsOf(answer: Answer): Traits {
  const headers = new Map<string, string>();
  for (const name of telling) {
    // Several fields of one name and their values in one are the same (RFC 9110 §5.3).
    const values = headersOf(answer, name);
    if (values.length > 0) headers.set(name, values.join(', '));
  }
  // A part of a string keeps the whole alive in V8; a copy does not.
  const title = titleOf(answer.body)?.slice(0, 200).split('').join('') ?? null;
  return { status: answer.status, title, headers, words: wordsOf(answer.body) };
}

/** Keeps what two answers to the same question share. Null when not even the status does. */
export function fingerprint(first: Traits, second: Traits): Fingerprint | null {
  if (first.status !== second.status) return null;
  return {
    status: first.status,
    title: first.title === second.title ? first.title : null,
    headers: new Map([...first.headers].filter(([name, value]) => second.headers.get(name) === value)),
    words: new Set([...first.words].filter((word) => second.words.has(word))),
  };
}

/** `alike`: the answer fits in all that is stable; `nothing`: there is too little to tell one service from another. */
export type Likeness = 'alike' | 'different' | 'nothing';

/** Holds an answer against a fingerprint. Nine words in ten must be there again, since pages carry times and tokens. */
export function compare(print: Fingerprint, seen: Traits): Likeness {
  if (seen.status !== print.status) return 'different';
  if (print.title !== null && seen.title !== print.title) return 'different';
  for (const [name, value] of print.headers) if (!sameValue(name, seen.headers.get(name), value)) return 'different';
  let kept = 0;
  for (const word of print.words) if (seen.words.has(word)) kept += 1;
  if (print.words.size > 0 && kept / print.words.size < 0.9) return 'different';
  if (print.words.size === 0 && seen.words.size > 0) return 'different';
  const says = print.words.size > 0 || [...print.headers.keys()].some((name) => name !== 'content-type');
  return says ? 'alike' : 'nothing';
}

/** Whether an answer is a page of the same service at all, though perhaps of another time: by its title, or by half of its words. */
export function isKin(print: Fingerprint, seen: Traits): boolean {
  if (print.title !== null && seen.title !== null) return print.title === seen.title;
  const kept = [...print.words].filter((word) => seen.words.has(word)).length;
  return print.words.size > 0 && kept / print.words.size >= 0.5;
}

/** A front that compresses or changes nothing but the form makes an ETag weak (RFC 9110 §8.8.1), and may write a type in other words. */
function sameValue(name: string, seen: string | undefined, value: string): boolean {
  if (seen === value) return true;
  if (seen === undefined) return name === 'etag' || name === 'x-powered-by';
  const bare = (text: string): string =>
    name === 'etag' ? text.replace(/^W\//, '') : text.toLowerCase().replace(/[\s"]/g, '');
  return name !== 'location' && bare(seen) === bare(value);
}

/** The same without one of its headers, for what else is alike. */
export function withoutHeader<Has extends { print: Fingerprint | null }>(of: Has, name: string): Has {
  if (of.print === null) return of;
  const headers = new Map(of.print.headers);
  headers.delete(name);
  return { ...of, print: { ...of.print, headers } };
}

function wordsOf(body: string): Set<number> {
  const all = body.slice(0, mostLetters).split(/[\s<>"'=&;,(){}[\]]+/);
  // What was cut in the middle is no word.
  const whole = body.length > mostLetters ? all.slice(0, -1) : all;
  return new Set(whole.filter((word) => word !== '').map(numberOf));
}

/** FNV-1a with 32 bits. */
function numberOf(word: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < word.length; at += 1) hash = Math.imul(hash ^ word.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}
