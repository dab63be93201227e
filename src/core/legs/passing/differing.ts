import { withPort } from '../../networks/address.ts';
import { partName } from '../../plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import { isFrontsOwnError, isListing } from '../../proxies/known-answers.ts';
import { isOnlyEscapes, type Altered } from './altered.ts';
import { headerOf, titleOf, type Answer } from '../answer.ts';
import { dateOf, likenessTo, typeOf, type DirectAnswer, type DirectEvidence } from '../service/direct.ts';
import { isKin, traitsOf, withoutHeader } from '../service/fingerprint.ts';
import { bad, type LegResult, type Problem } from '../leg.ts';
import { altersRequest, oldCopy, otherType } from './front-cards.ts';
import { serviceUnclear, wrongService } from '../service/service-cards.ts';

interface DifferingInput {
  road: PlannedRoad;
  part: PlannedPart;
  own: DirectEvidence;
  altered: Altered | null;
}

/** In which way the front's answer is another one than the service gives when it is asked directly, as far as that can be told. */
export function differing(input: DifferingInput, direct: DirectAnswer, answer: Answer): LegResult {
  const { road, part, own, altered } = input;
  const name = partName(road.name, part.prefix);
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const cause = `service-of:${name}`;
  const data = { status: answer.status, direct: direct.status, upstream };
  if (altered !== null) return bad('service', 'altered', alteredProblem(altered, data, cause), answer.status);
  if (isListing(answer) && !direct.isListing)
    return bad('service', 'listing', { card: wrongService, say: 'listing', data: { upstream }, cause });
  const found = typeOf(answer);
  if (found !== direct.type && likenessTo(withoutHeader(own, 'content-type'), traitsOf(answer)) === 'alike') {
    const types = { found: found ?? 'no type', wanted: direct.type ?? 'none', upstream };
    return bad('service', 'other-type', { card: otherType, say: 'type', data: types, cause });
  }
  const signs = signsOfAge(answer, direct);
  // Another page with another mark is another page; a copy is still of the same service.
  if (signs.length > 0 && own.print !== null && isKin(own.print, traitsOf(answer))) {
    const problem = { card: oldCopy, say: 'copy', data: { upstream, signs }, cause };
    return bad('service', 'old-copy', problem);
  }
  if (isMissedOut(answer.status) && direct.status < 400) {
    const problem = { card: altersRequest, say: 'status', data, cause };
    return bad('service', 'altered', problem, answer.status);
  }
  const shown = titleOf(answer.body);
  const wanted = own.print?.title ?? null;
  const isOther = own.print !== null && !isKin(own.print, traitsOf(answer));
  if (isOther && shown !== null && wanted !== null && answer.status < 300 && direct.status < 300) {
    const titles = { shown: shown.slice(0, 60), wanted: wanted.slice(0, 60), upstream };
    return bad('service', 'other-page', { card: wrongService, say: 'page', data: titles, cause, severity: 'warning' });
  }
  const say = likenessTo(own, traitsOf(answer)) === 'nothing' ? 'bare' : 'differs';
  return bad('service', 'unclear', { card: serviceUnclear, say, data, cause }, answer.status);
}

/** Statuses of a service that was asked for something else than it has. A refusal may be about the visitor. */
function isMissedOut(status: number): boolean {
  return status >= 400 && status < 500 && ![401, 403, 407, 421, 429].includes(status);
}

/** Dates of one moment may differ by as much: clocks, and a slow way. */
const sameMomentMs = 60_000;

/** By what an answer shows that it is a copy made earlier (RFC 9111 §4.2.3, RFC 9110 §8.8.3). */
function signsOfAge(answer: Answer, direct: DirectAnswer): string[] {
  if (answer.status !== direct.status) return [];
  const age = Number(headerOf(answer, 'age') ?? NaN);
  const date = dateOf(answer);
  const isOlder = date !== null && direct.date !== null && direct.date - date > sameMomentMs;
  const etag = headerOf(answer, 'etag');
  const isOther = etag !== null && direct.etag !== null && bare(etag) !== bare(direct.etag);
  return [
    ...(age > 0 ? [`Age: ${String(age)}`] : []),
    ...(isOlder ? [`Date: ${headerOf(answer, 'date') ?? ''}`] : []),
    ...(isOther ? [`ETag ${etag} instead of ${direct.etag ?? ''}`] : []),
  ];
}

function bare(etag: string): string {
  return etag.replace(/^W\//, '');
}

function alteredProblem(altered: Altered, data: Problem['data'], cause: string): Problem {
  const { kind, ...what } = altered;
  const problem = { card: altersRequest, data: { ...data, ...what }, cause };
  return isOnlyEscapes(altered) ? { ...problem, say: 'escapes', severity: 'warning' } : { ...problem, say: kind };
}

interface DeepInput {
  part: PlannedPart;
  own: DirectEvidence;
  target: string;
  answer: Answer;
  altered: Altered | null;
}

/** What is wrong below the first page, when the first page is right: the service is asked for something else there, or not at all. */
export function judgeDeep({ part, own, target, answer, altered }: DeepInput, road: PlannedRoad): LegResult | null {
  const upstream = withPort(own.upstream.host, own.upstream.port);
  const cause = `service-of:${partName(road.name, part.prefix)}`;
  const data = { status: answer.status, direct: own.deep?.traits.status ?? 0, upstream };
  if (altered !== null) return bad('service', 'altered', alteredProblem(altered, data, cause), answer.status);
  if (!isFrontsOwnError(answer)) return null;
  const problem = { card: altersRequest, say: 'deep', data: { ...data, target }, cause };
  return bad('service', 'altered', problem, answer.status);
}
