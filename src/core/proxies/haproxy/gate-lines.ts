import type { GatePart, Plan, PlannedRoad } from '../../plan/plan.ts';
import { hasPeople } from '../../verdict/gate.ts';
import { longestCredentials } from '../hardening.ts';
import { peopleList } from './people.ts';
import { escapePattern } from '../pattern.ts';
import { comment, inLines, quote } from './quote.ts';
import { namedFormat } from './named.ts';
import { isKnown } from './visitor.ts';

/** A target at or below a prefix, in normal form. */
export function below(prefix: string): string {
  const end = prefix.endsWith('/') ? '' : '(?:/|$)';
  return `{ var(txn.normal) -m bool } { path -m reg ${quote(`^${escapePattern(prefix)}${end}`)} }`;
}

/** 12. One part of the gate after the other: networks first (403), people after (401). @param page words for what a 403 shows */
export function gateLines(plan: Plan, road: PlannedRoad, page: string): string[] {
  return road.gate.parts.flatMap((part, index) => [
    comment(`Gate: ${part.name}.`),
    ...partLines(plan, road, part, index, page),
  ]);
}

function partLines(plan: Plan, road: PlannedRoad, part: GatePart, index: number, page: string): string[] {
  const { networks, people, except } = part;
  const of = (what: string): string => `${what}${String(index)}`;
  const isSet = (what: string): string => `{ var(txn.${of(what)}) -m found }`;
  const gated = except.length === 0 ? '' : ` !${isSet('open')}`;
  const ask = `http-request return status 401 hdr WWW-Authenticate ${quote(`Basic realm="${namedFormat(road.name, road)}"`)}`;
  const either = networks !== null && people !== null && part.need === 'any';
  return [
    ...except.map((prefix) => `http-request set-var(txn.${of('open')}) bool(true) if ${below(prefix)}`),
    ...(networks === null
      ? []
      : [
          ...inLines(`acl ${of('near')} src --`, networks.networks),
          ...inLines(`acl ${of('apart')} src --`, networks.except),
          `http-request set-var(txn.${of('near')}) bool(true) if ${of('near')}${networks.except.length === 0 ? '' : ` !${of('apart')}`}${isKnown(plan)}`,
          ...(either ? [] : [`http-request return status 403${page} if !${isSet('near')}${gated}`]),
        ]),
    ...(people === null
      ? []
      : [
          comment('Checks a password only where it decides, and only up to a sensible length.'),
          `http-request set-var(txn.${of('known')}) bool(true) if${either ? ` !${isSet('near')}` : ''}${gated} { req.fhdr(authorization),length le ${String(longestCredentials + 'Basic '.length + 2)} } { http_auth(${peopleList(people)}) }`,
          `${ask} if !${isSet('known')}${either ? ` !${isSet('near')}` : ''}${gated}`,
        ]),
  ];
}

/** A password for the gate is the front's, and goes on to no service. */
export function withoutPassword({ gate }: PlannedRoad): string[] {
  if (!hasPeople(gate)) return [];
  return [`http-request del-header Authorization if { req.fhdr(authorization) -m reg -i ${quote('^basic(?: |$)')} }`];
}
