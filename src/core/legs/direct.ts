import type { Upstream } from '../plan/plan.ts';
import { type Answer, type Attempt } from './answer.ts';
import { compare, fingerprint, traitsOf, type Fingerprint, type Likeness, type Traits } from './fingerprint.ts';
import { isWelcomePage, wantsHttps } from '../proxies/pages.ts';

/**
 * A service asked directly, twice, with the headers that the front would send. Of a thousand services not the pages are kept but what
 * a judgement needs.
 *
 * @property answer the first answer without its body, or why there is none
 * @property print by what it is known again; null when nothing stays the same, or it does not answer
 * @property takesTls a service that the map gives as plain HTTP, and that does not answer so, takes a TLS handshake
 * @property plainly status without the headers about the visitor; null when that was not asked
 * @property byAddress status when it is asked by its own address; null when that was not asked
 */
export interface DirectEvidence {
  road: string;
  /** Prefix of the part of the road. */
  part: string;
  upstream: Upstream;
  answer: Attempt<DirectAnswer>;
  print: Fingerprint | null;
  takesTls: boolean;
  plainly: number | null;
  byAddress: number | null;
}

/** @property title of its page @property hasBody whether it says anything @property hints whether early hints come first */
export interface DirectAnswer {
  status: number;
  title: string | null;
  hasBody: boolean;
  isWelcome: boolean;
  wantsHttps: boolean;
  hints: boolean;
}

interface DirectFacts extends Pick<DirectEvidence, 'road' | 'part' | 'upstream'> {
  first: Attempt<Answer>;
  second: Attempt<Answer>;
  takesTls?: boolean;
  plainly?: number | null;
  byAddress?: number | null;
}

export function directEvidence(facts: DirectFacts): DirectEvidence {
  const { road, part, upstream, first, second, takesTls = false, plainly = null, byAddress = null } = facts;
  const common = { road, part, upstream, takesTls, plainly, byAddress };
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
        hasBody: body.trim() !== '',
        isWelcome: isWelcomePage(first.value),
        wantsHttps: wantsHttps(first.value),
        hints: first.value.hints === true,
      },
    },
    print: second.ok ? fingerprint(traits, traitsOf(second.value)) : null,
  };
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
