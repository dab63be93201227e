import { card } from '../../findings/card.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { pageStatuses } from '../../proxies/page-files.ts';
import { isFrontsOwnError } from '../../proxies/known-answers.ts';
import { headerOf, headersOf, type Answer, type Attempt } from '../answer.ts';
import type { Problem } from '../leg.ts';

/** What the map itself says of the answers of a road: each is asked for, and missed where it is not there. */

const header = card({
  id: 'response-header-not-sent',
  severity: 'warning',
  summary: 'A header that the map gives to every answer of a road is not sent.',
  why: 'The front does not do what the map says.',
  source: 'map reference: `response-headers`',
  messages: {
    absent: {
      message: '{names} answers without {header}, which the map gives to every answer.',
      remedy: 'Make the map live: {live}',
    },
    other: {
      message: '{names} answers with {header}: {found}, but the map says {wanted}.',
      remedy: 'Make the map live: {live}',
    },
  },
});

const cors = card({
  id: 'cors-not-kept',
  severity: 'warning',
  summary: 'Other websites can read more, or less, than the map allows.',
  why: 'Too little: the other page stays empty. Too much: any website that a visitor opens can read what that visitor sees.',
  source: 'map reference: `cors`; Fetch standard, CORS protocol',
  messages: {
    refused: {
      message: '{names} does not let pages of {origin} read its answers, which the map allows.',
      remedy: 'Make the map live: {live}',
    },
    open: {
      message: '{names} lets pages of {origin} read its answers, which the map does not allow.',
      remedy: 'Make the map live: {live}. If the service says so itself, switch it off there.',
    },
    credentials: {
      message:
        '{names}: with the cookies of visitors, pages of {origin} {may} read its answers. The map says otherwise.',
      remedy: 'Make the map live: {live}',
    },
  },
});

const page = card({
  id: 'own-page-not-shown',
  severity: 'warning',
  summary: 'The front shows its own error page instead of the one on the map.',
  why: 'Visitors see the error page of a server instead of yours.',
  source: 'map reference: `pages`',
  messages: {
    other: {
      message: '{names} answers {status} with a page of the server, instead of the page `{kind}` on the map.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const mapKeptCards = [header, cors, page];

/** An origin that no map allows (RFC 6761 §6.4). */
export const strangeOrigin = 'https://stranger.invalid';

/** Headers that somebody wrote on the map. What it gives by itself is no promise of a front made by hand. */
export function headerProblems({ name, rules, lines }: PlannedRoad, answer: Answer): Problem[] {
  if (lines['response-headers'] === undefined) return [];
  const problems = rules.headers.flatMap(([key, wanted]): Problem[] => {
    const found = headersOf(answer, key.toLowerCase()).join(', ');
    if (found === wanted) return [];
    const say = found === '' ? 'absent' : 'other';
    return [{ card: header, say, data: { header: key, found, wanted }, cause: `header:${name}` }];
  });
  // One that is not live is told by one of its headers.
  return problems.slice(0, 1);
}

/** @property allowed what an origin of the map is told; null when the map names none but `*` @property strange what any other is told */
interface CorsSeen {
  origin: string;
  allowed: Attempt<Answer> | null;
  strange: Attempt<Answer>;
}

/** Whether pages of other origins may do what the map says (Fetch standard, "CORS check"), and no more. */
export function corsProblems({ name, rules }: PlannedRoad, { origin, allowed, strange }: CorsSeen): Problem[] {
  const wanted = rules.cors;
  if (wanted === null) return [];
  const cause = `cors:${name}`;
  const told = (attempt: Attempt<Answer>, key: string): string | null =>
    attempt.ok ? headerOf(attempt.value, `access-control-allow-${key}`) : null;
  const isForAll = wanted.origins.includes('*');
  const open = told(strange, 'origin');
  if (!isForAll && (open === strangeOrigin || open === '*'))
    return [{ card: cors, say: 'open', data: { origin: strangeOrigin }, cause }];
  const asked = allowed ?? strange;
  const found = told(asked, 'origin');
  const may = allowed === null ? strangeOrigin : origin;
  if (asked.ok && found !== may && found !== '*') return [{ card: cors, say: 'refused', data: { origin: may }, cause }];
  const withCookies = told(asked, 'credentials') === 'true';
  if (!asked.ok || withCookies === wanted.credentials) return [];
  return [{ card: cors, say: 'credentials', data: { origin: may, may: withCookies ? 'may' : 'may not' }, cause }];
}

/** What the front answers itself must bear the page of the map, where it has one for that. */
export function pageProblemOf({ pages }: Pick<Plan, 'pages'>, { name }: PlannedRoad, answer: Answer): Problem[] {
  const kind = (['paused', 'down', 'refused'] as const).find(
    (one) => pages[one] !== undefined && pageStatuses[one].includes(answer.status),
  );
  if (kind === undefined || answer.isPage === true || !isFrontsOwnError(answer)) return [];
  return [{ card: page, say: 'other', data: { status: answer.status, kind }, cause: `page:${name}` }];
}
