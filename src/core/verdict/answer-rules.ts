import type { PlannedRoad } from '../plan/plan.ts';
import type { PlannedRules } from '../road-rules/road-rules.ts';
import { allowedOrigin, corsHeaders, originHeaders } from './cors.ts';
import type { AnswerRules, VerdictRequest } from './verdict.ts';

/** Says what runs behind the name, to nobody's good. */
const banners = ['server', 'x-powered-by'];

/** Meant for the front, and no visitor's business. */
const forFront = ['buffering', 'charset', 'expires', 'limit-rate', 'redirect'].map((what) => `x-accel-${what}`);

/**
 * What every answer of a road carries, the service's as well as the front's own (from the step `misdirected` on). HSTS is for https alone
 * (RFC 6797 §7.2), and the map decides it: a service's own is taken away.
 */
export function answerRules(
  { rules }: PlannedRoad,
  { listener, headers }: Pick<VerdictRequest, 'listener' | 'headers'>,
): AnswerRules {
  if (rules.cors !== null) return worked(rules, listener, headers);
  const known = lasting[listener].get(rules);
  if (known !== undefined) return known;
  const found = worked(rules, listener, headers);
  lasting[listener].set(rules, found);
  return found;
}

/** Without CORS they are the same for every request. */
const lasting = { http: new WeakMap<PlannedRules, AnswerRules>(), https: new WeakMap<PlannedRules, AnswerRules>() };

function worked(
  rules: PlannedRules,
  listener: VerdictRequest['listener'],
  headers: VerdictRequest['headers'],
): AnswerRules {
  const { cors } = rules;
  const hsts: Array<[string, string]> =
    rules.hsts === null || listener === 'http' ? [] : [['Strict-Transport-Security', `max-age=${String(rules.hsts)}`]];
  const set = [...hsts, ...rules.headers, ...(cors === null ? [] : originHeaders(cors, allowedOrigin(cors, headers)))];
  return {
    drop: [
      ...banners,
      ...forFront,
      'strict-transport-security',
      ...rules.headers.map(([name]) => name.toLowerCase()),
      ...(cors === null ? [] : corsHeaders),
    ],
    set,
    defaults: rules.defaults,
  };
}

/** The headers of an answer that the front gives itself, by lower-case name. What the step says of its own comes first. */
export function ownHeaders(
  { set, defaults }: AnswerRules,
  own: Readonly<Record<string, string>>,
): Record<string, string> {
  const headers = new Map(Object.entries(own));
  for (const [name, value] of [...set, ...defaults])
    if (!headers.has(name.toLowerCase())) headers.set(name.toLowerCase(), value);
  return Object.fromEntries(headers);
}
