import type { Check, CheckKind, Checks, GatePart } from '../../gates/check.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { withPort } from '../../networks/address.ts';
import { askAction } from './asking.ts';
import { hasPeople } from '../../verdict/gate.ts';
import { longestCredentials } from '../../front-limits.ts';
import { peopleList } from './people.ts';
import { escapePattern } from '../pattern.ts';
import { comment, inLines, quote } from './quote.ts';
import { isDevice } from './devices.ts';
import { namedFormat } from './named.ts';
import { isKnown } from './visitor.ts';

/** A target at or below a prefix, in normal form. */
export function below(prefix: string): string {
  const end = prefix.endsWith('/') ? '' : '(?:/|$)';
  return `{ var(txn.normal) -m bool } { path -m reg ${quote(`^${escapePattern(prefix)}${end}`)} }`;
}

/** One part of the gate after the other: networks first (403), people after (401). @param page words for what a 403 shows */
export function gateLines(plan: Plan, road: PlannedRoad, page: string): string[] {
  return road.gate.parts.flatMap((part, index) => [
    comment(`Gate: ${part.name}.`),
    ...partLines(plan, road, part, index, page),
  ]);
}

/**
 * A check that is about to be asked.
 *
 * @property passed the variable that says that it lets somebody pass
 * @property when conditions under which it is asked at all
 */
interface CheckWay {
  plan: Plan;
  road: PlannedRoad;
  passed: string;
  when: string;
  page: string;
  index: number;
}

/** What haproxy is told for each kind of check: what sets its variable, and what it answers to somebody whom nothing lets pass. */
interface CheckWords<C> {
  variable: string;
  ask: (check: C, way: CheckWay) => string[];
  refuse: (way: CheckWay) => string;
}

/** Null for a kind that it cannot do: `check` says so before anything is written. */
export const checkWords: { [K in CheckKind]: CheckWords<Checks[K]> | null } = {
  networks: {
    variable: 'near',
    ask: ({ networks, except }, { plan, passed, index }) => [
      ...inLines(`acl near${String(index)} src --`, networks),
      ...inLines(`acl apart${String(index)} src --`, except),
      `http-request set-var(txn.${passed}) bool(true) if near${String(index)}${except.length === 0 ? '' : ` !apart${String(index)}`}${isKnown(plan)}`,
    ],
    refuse: ({ page }) => `http-request return status 403${page}`,
  },
  devices: {
    variable: 'device',
    ask: ({ names }, { passed }) =>
      (names === null ? [''] : [...chunks(names)].map((some) => ` { ssl_c_s_dn(cn) -m str -- ${some.join(' ')} }`)).map(
        (named) => `http-request set-var(txn.${passed}) bool(true) if ${isDevice}${named}`,
      ),
    refuse: ({ page }) => `http-request return status 403${page}`,
  },
  people: {
    variable: 'known',
    ask: ({ file }, { passed, when }) => [
      comment('Checks a password only where it decides, and only up to a sensible length.'),
      `http-request set-var(txn.${passed}) bool(true) if${when} { req.fhdr(authorization),length le ${String(longestCredentials + 'Basic '.length + 2)} } { http_auth(${peopleList(file)}) }`,
    ],
    refuse: ({ road }) =>
      `http-request return status 401 hdr WWW-Authenticate ${quote(`Basic realm="${namedFormat(road.name, road)}"`)}`,
  },
  asks: {
    variable: 'asked',
    ask: ({ upstream, path, tell }, { plan, when, index }) => [
      ...tell.map((name) => `http-request del-header ${name}`),
      ...(upstream === null
        ? []
        : [
            comment('Asks a service; its refusals go to the visitor as they are.'),
            `http-request lua.${askAction(plan)} ${String(index)} ${withPort(upstream.host, upstream.port)} ${quote(path)} ${quote(tell.join(',') || '-')}${when === '' ? '' : ` if${when}`}`,
          ]),
    ],
    refuse: () => 'http-request return status 503',
  },
};

/** With `need: any` a check is asked where none before it let pass, and the last one refuses; else each refuses for itself. */
function partLines(plan: Plan, road: PlannedRoad, part: GatePart, index: number, page: string): string[] {
  const { checks, except, need } = part;
  const isSet = (name: string): string => `{ var(txn.${name}) -m found }`;
  const gated = except.length === 0 ? '' : ` !${isSet(`open${String(index)}`)}`;
  const isAny = need === 'any';
  const named = checks.map((check) => `${wordsFor(check).variable}${String(index)}`);
  const asked = checks.flatMap((check, at) => {
    const words = wordsFor(check);
    const passed = named[at] ?? '';
    const unless = isAny ? named.slice(0, at).map((name) => ` !${isSet(name)}`) : [];
    const way = { plan, road, passed, when: `${unless.join('')}${gated}`, page, index };
    const refuses = !isAny || at === checks.length - 1;
    return [...words.ask(check, way), ...(refuses ? [`${words.refuse(way)} if !${isSet(passed)}${way.when}`] : [])];
  });
  return [
    ...except.map((prefix) => `http-request set-var(txn.open${String(index)}) bool(true) if ${below(prefix)}`),
    ...asked,
  ];
}

/** The words of a check, which is only given to those of its own kind. */
function wordsFor({ kind }: Check): CheckWords<Check> {
  return (checkWords[kind] as CheckWords<Check> | null) ?? refusing;
}

/** A line takes sixty-four words. */
function* chunks(names: readonly string[]): Generator<readonly string[]> {
  for (let at = 0; at < names.length; at += 32) yield names.slice(at, at + 32);
}

/** Lets nobody pass. */
const refusing: CheckWords<Check> = {
  variable: 'never',
  ask: () => [],
  refuse: () => 'http-request return status 403',
};

/** A password for the gate is the front's, and goes on to no service. */
export function withoutPassword({ gate }: PlannedRoad): string[] {
  if (!hasPeople(gate)) return [];
  return [`http-request del-header Authorization if { req.fhdr(authorization) -m reg -i ${quote('^basic(?: |$)')} }`];
}
