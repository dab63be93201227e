/**
 * What services for dynamic names answer. Their protocol has no standard of its own; these words and rules are what they all share: nobody
 * asks twice for the same address, and who was refused stays away until a person has seen to it.
 */
type AnswerKind = 'taken' | 'unchanged' | 'refused' | 'later' | 'unclear';

const kinds: Readonly<Record<string, AnswerKind>> = {
  good: 'taken',
  nochg: 'unchanged',
  badauth: 'refused',
  abuse: 'refused',
  nohost: 'refused',
  notfqdn: 'refused',
  numhost: 'refused',
  badagent: 'refused',
  '!donator': 'refused',
  '911': 'later',
  dnserr: 'later',
};

/** What stands behind a refusal, as a person needs to hear it. */
const reasons: Readonly<Record<string, string>> = {
  badauth: 'it does not accept the user and password',
  abuse: 'it has blocked this name, because of too many updates',
  nohost: 'it does not have this name in the account',
  notfqdn: 'it does not accept this as a full name',
  numhost: 'it does not accept so many names',
  badagent: 'it does not serve this program',
  '!donator': 'the account does not include this',
  '911': 'it reports an internal error',
  dnserr: 'its name servers have a failure',
};

/** @property word first word of the answer, or `status N` when it came without one @property reason as the second half of "it answers so, because ..." */
export interface UpdateAnswer {
  kind: AnswerKind;
  word: string;
  reason: string;
}

/** @param status of HTTP @param body the answer's text, of which the first word counts */
export function updateAnswer(status: number, body: string): UpdateAnswer {
  const said = body.trim().split(/\s+/, 1)[0]?.toLowerCase() ?? '';
  const known = Object.hasOwn(kinds, said) ? said : status === 401 ? 'badauth' : null;
  const word = known ?? `status ${String(status)}`;
  const kind = known !== null ? (kinds[known] ?? 'unclear') : status >= 500 || status === 429 ? 'later' : 'unclear';
  return { kind, word, reason: reasons[word] ?? `the answer was: ${printable(body)}` };
}

/** Whatever a stranger sends, as one short line. */
function printable(body: string): string {
  return (
    body
      .replace(/[^ -~]+/g, ' ')
      .trim()
      .slice(0, 80) || 'empty'
  );
}

/** @property told which service and login, as a digest @property at ISO time @property address that was told, in one update */
export interface UpdateEntry {
  at: string;
  told: string;
  address: string;
  kind: AnswerKind;
  word: string;
}

const minute = 60_000;
/** How long a service is left alone after its own failure, and before an address that it has is told again. */
const restMs = { later: 30 * minute, unclear: 30 * minute, taken: 60 * minute, unchanged: 60 * minute };

/**
 * Whether an address may be told now: yes, not before a time, or not before a person has settled a refusal.
 *
 * @param entries of the journal, oldest first, of any service @param told digest of the service and login on the map
 */
export function mayTell(
  entries: readonly UpdateEntry[],
  { told, address, now }: { told: string; address: string; now: Date },
):
  { kind: 'yes' } | { kind: 'has' | 'rests'; until: Date; last: UpdateEntry } | { kind: 'refused'; last: UpdateEntry } {
  const here = entries.filter((entry) => entry.told === told);
  const last = here.at(-1);
  if (last === undefined) return { kind: 'yes' };
  if (last.kind === 'refused') return { kind: 'refused', last };
  const has = last.kind === 'taken' || last.kind === 'unchanged';
  // An IPv4 and an IPv6 address stand side by side; of one kind the newest counts.
  const counts = has ? here.filter((entry) => isIpv6(entry.address) === isIpv6(address)).at(-1) : last;
  if (counts === undefined || counts.kind === 'refused') return { kind: 'yes' };
  if (has && counts.address !== address) return { kind: 'yes' };
  const until = new Date(Date.parse(counts.at) + restMs[counts.kind]);
  return until > now ? { kind: has ? 'has' : 'rests', until, last: counts } : { kind: 'yes' };
}

const isIpv6 = (address: string): boolean => address.includes(':');
