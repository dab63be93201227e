import type { Upstream } from '../../plan/upstream.ts';
import { cookiesOf, type Cookie } from '../passing/cookies.ts';
import { headerOf, headersOf, titleOf, type Answer, type Attempt } from '../answer.ts';
import { echoOf, type Echo } from '../passing/altered.ts';
import type { Problem } from '../leg.ts';
import { sampleOf, type Sample } from '../passing/turns.ts';
import { compare, fingerprint, traitsOf, type Fingerprint, type Likeness, type Traits } from './fingerprint.ts';
import { isListing, isWelcomePage, wantsHttps } from '../../proxies/known-answers.ts';

/**
 * A service asked directly, twice, with the headers that the front would send. Of a thousand services not the pages are kept but what
 * a judgement needs.
 *
 * @property answer the first answer without its body, or why there is none
 * @property print by what it is known again; null when nothing stays the same, or it does not answer
 * @property takesTls a service that the map gives as plain HTTP, and that does not answer so, takes a TLS handshake
 * @property course what it answered to the same question each time, in order: where that varies, no comparison says anything
 * @property plainly status without the headers about the visitor; null when that was not asked
 * @property byAddress status when it is asked by its own address; null when that was not asked
 * @property unmet what the map expects of it and is not so; null when nothing is amiss, or nothing expected
 * @property unproven why the front will not believe that it is the service of the map; null when it will, or need not be shown
 * @property deep what it answers below its first page; null when that was not asked
 */
export interface DirectEvidence {
  road: string;
  /** Prefix of the part of the road. */
  part: string;
  upstream: Upstream;
  answer: Attempt<DirectAnswer>;
  print: Fingerprint | null;
  course: Sample[];
  takesTls: boolean;
  plainly: number | null;
  byAddress: number | null;
  unmet: Problem | null;
  unproven: Problem | null;
  deep: DeepAnswer | null;
}

/** @property echo the path that the page says was asked for; null when it says none */
interface DeepAnswer {
  traits: Traits;
  echo: Echo | null;
}

/**
 * @property title of its page @property says the first words of its page @property hasBody whether it says anything @property hints whether early hints come first
 * @property cookies that it set, at each of two visits @property takesRanges it says that it sends parts of its page (RFC 9110 §14.3)
 * @property isEndless its answer goes on and on @property type what it calls its page, without parameters @property date milliseconds since the epoch @property isListing it shows the files of a folder
 */
export interface DirectAnswer {
  status: number;
  title: string | null;
  says: string;
  type: string | null;
  etag: string | null;
  date: number | null;
  isListing: boolean;
  hasBody: boolean;
  isWelcome: boolean;
  wantsHttps: boolean;
  hints: boolean;
  isEndless: boolean;
  cookies: Cookie[][];
  takesRanges: boolean;
}

interface DirectFacts extends Pick<DirectEvidence, 'road' | 'part' | 'upstream'> {
  first: Attempt<Answer>;
  second: Attempt<Answer>;
  /** Default: the first and the second. */
  course?: Sample[];
  takesTls?: boolean;
  plainly?: number | null;
  byAddress?: number | null;
  unmet?: Problem | null;
  unproven?: Problem | null;
  deep?: Attempt<Answer> | null;
}

export function directEvidence(facts: DirectFacts): DirectEvidence {
  const { road, part, upstream, first, second, takesTls = false, plainly = null, byAddress = null } = facts;
  const { unmet = null, unproven = null } = facts;
  const deep = facts.deep?.ok === true ? deepAnswer(facts.deep.value) : null;
  const course = facts.course ?? [first, second].map(sampleOf);
  const common = { road, part, upstream, course, takesTls, plainly, byAddress, unmet, unproven, deep };
  if (!first.ok) return { ...common, answer: first, print: null };
  const traits = traitsOf(first.value);
  const { status, body } = first.value;
  return {
    ...common,
    answer: {
      ok: true,
      value: {
        status,
        title: traits.title,
        says: firstWords(first.value),
        type: typeOf(first.value),
        etag: headerOf(first.value, 'etag'),
        date: dateOf(first.value),
        isListing: isListing(first.value),
        hasBody: body.trim() !== '',
        isWelcome: isWelcomePage(first.value),
        wantsHttps: wantsHttps(first.value),
        hints: first.value.hints === true,
        isEndless: first.value.isEndless === true,
        cookies: [first, second].map((one) => (one.ok ? cookiesOf(headersOf(one.value, 'set-cookie')) : [])),
        takesRanges: headerOf(first.value, 'accept-ranges') === 'bytes' && status === 200,
      },
    },
    print: second.ok ? fingerprint(traits, traitsOf(second.value)) : null,
  };
}

function deepAnswer(answer: Answer): DeepAnswer {
  return { traits: traitsOf(answer), echo: echoOf(answer.body) };
}

/** What a page says, for a person to know it again: its title, else its first words. */
function firstWords({ body }: Answer): string {
  const text = (titleOf(body) ?? body.replace(/<(script|style)[\s\S]*?<\/\1>|<[^>]*>/gi, ' '))
    .replace(/\s+/g, ' ')
    .trim();
  // A part of a string keeps the whole alive in V8; a copy does not.
  return text.slice(0, 80).split('').join('');
}

/** RFC 9110 §8.3.1: the media type without its parameters. */
export function typeOf(answer: Answer): string | null {
  return headerOf(answer, 'content-type')?.split(';')[0]?.trim().toLowerCase() ?? null;
}

/** When an answer was made (RFC 9110 §6.6.1), in milliseconds since the epoch. */
export function dateOf(answer: Answer): number | null {
  const time = Date.parse(headerOf(answer, 'date') ?? '');
  return Number.isNaN(time) ? null : time;
}

export function likenessTo({ print }: DirectEvidence, seen: Traits): Likeness {
  return print === null ? 'nothing' : compare(print, seen);
}

/** The road among these whose service an answer comes from, if it can be told. */
export function whoseAnswer(answer: Answer, directs: readonly DirectEvidence[]): string | null {
  const seen = traitsOf(answer);
  return directs.find((one) => likenessTo(one, seen) === 'alike')?.road ?? null;
}

/** Refusals that may be about the name or the headers rather than about the visitor. */
export function mayBeUntold(status: number): boolean {
  return [400, 403, 421].includes(status) || status >= 500;
}
