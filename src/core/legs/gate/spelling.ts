import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Answer } from '../answer.ts';
import { likenessTo, type DirectEvidence } from '../service/direct.ts';
import { traitsOf } from '../service/fingerprint.ts';
import { bad, type LegResult } from '../leg.ts';

const compared = card({
  id: 'name-compared-too-strictly',
  severity: 'warning',
  summary: 'The front accepts only one spelling of a name.',
  why: 'Host names have no case, and the port of a scheme may be written or left out. Browsers write them one way, other programs in several ways.',
  source: 'RFC 9110 §4.2.3',
  messages: {
    capitals: {
      message: '{names} answers {status} when the name is written in capitals.',
      remedy: 'In hand-written files, compare the host without case. Mile Marker’s configuration does: {live}',
    },
    port: {
      message: '{names} answers {status} when the port is written behind the name.',
      remedy: 'In hand-written files, compare the host without its port. Mile Marker’s configuration does: {live}',
    },
  },
});

export const spellingCards = [compared];

/** Other spellings of the name that a road is asked by: in capitals, and with the port of the scheme. */
export function spellings({ name, authority }: PlannedRoad): string[] {
  const port = authority.slice(name.length);
  return [`${name.toUpperCase()}${port}`, ...(port === '' ? [`${name}:443`] : [])];
}

interface SpellingInput {
  own: DirectEvidence;
  /** What the front answered to the usual spelling. */
  usual: Answer;
  spelled: ReadonlyArray<{ host: string; answer: Answer }>;
}

/** Whether a name in another spelling leads elsewhere, and which. Null when it does not, or when it cannot be told. */
export function judgeSpelling({ own, usual, spelled }: SpellingInput): { host: string; result: LegResult } | null {
  const other = spelled.find(
    ({ answer }) =>
      // A service may itself be strict about its name; the front's page and another road's are the front's doing.
      answer.status !== usual.status && likenessTo(own, traitsOf(answer)) === 'different' && answer.status >= 400,
  );
  if (other === undefined) return null;
  const { status } = other.answer;
  const say = /[A-Z]/.test(other.host) ? 'capitals' : 'port';
  const problem = { card: compared, say, data: { status }, cause: `spelling:${say}` };
  return { host: other.host, result: bad('service', 'strict-name', problem, status) };
}
