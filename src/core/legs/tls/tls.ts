import { covers, type CertificateFacts } from '../../certificates/cover.ts';
import { isUnder } from '../../names/host-name.ts';
import type { Attempt } from '../answer.ts';
import { bad, ok, severityOf, skipped, type LegKind, type LegResult, type Problem } from '../leg.ts';
import type { TakenSuite } from './weak-suites.ts';
import {
  chainOrder,
  dates,
  falseTwo,
  notPlanned,
  oldTls,
  otherName,
  practice,
  refused,
  staple,
  untrusted,
  weakCertificate,
  weakSuite,
} from './tls-cards.ts';

/**
 * What the front showed in a handshake that came to its end. The leaf, and whether its chain leads to a trusted root.
 *
 * @property trustedBy `public`: a root that browsers trust; `given`: --trust; `practice`: our own; null: none, and `chainProblem` says why
 * @property weak what of the leaf is too weak, in words, or null
 * @property lacksStaple the leaf must come with a word of its authority, and did not (RFC 7633)
 * @property suite as RFC 8446 appendix B.4 and its forerunners name it, or as openssl-ciphers(1) does; null when it is not known
 * @property speaksTwo whether HTTP/2 was spoken after it was chosen; null when it was not chosen
 * @property chainDates how long the other certificates of the chain are valid
 * @property weakSuite a weak suite that is taken from who knows nothing better; null for none, or when it was not tried
 * @property old the version before TLS 1.2 that is taken too, or null
 * @property inOrder whether the chain comes in its order; null when that cannot be seen
 */
export interface TlsEvidence {
  protocol: string;
  leaf: CertificateFacts;
  trustedBy: 'public' | 'given' | 'practice' | null;
  chainProblem: string | null;
  weak: string | null;
  lacksStaple?: boolean;
  suite: string | null;
  speaksTwo: boolean | null;
  chainDates: ChainDates[];
  weakSuite: TakenSuite;
  old: string | null;
  inOrder: boolean | null;
}

/** @property notBefore milliseconds since the epoch @property notAfter the same */
export interface ChainDates {
  subject: string;
  notBefore: number;
  notAfter: number;
}

const dayMs = 24 * 60 * 60 * 1000;

export interface TlsInput {
  name: string;
  attempt: Attempt<TlsEvidence>;
  /** The version before TLS 1.2 that is taken where the handshake of today's clients is not, or null. */
  onlyOld?: string | null;
  port: number;
  /** The map's own domains: a certificate for none of them is somebody else's. */
  domains: readonly string[];
  /** What lies here for this name; null when nothing does, or when another shows certificates of its own. */
  held: CertificateFacts | null;
  /** Whether the map has an authority issue it, or others, or none. */
  authority: 'this' | 'others' | 'none';
  /** How another certificate for the name is got, as a command or in words. */
  renewal: string;
  /** Fingerprint of what is shown to those who name nothing, or null. */
  shownToAll: string | null;
  /** Milliseconds since the epoch. */
  now: number;
}

/** Judges a handshake: that there is one, then name, dates, chain and strength, as a browser would; then how it is done. */
export function judgeTls(input: TlsInput): LegResult {
  const { attempt, port, onlyOld = null } = input;
  if (!attempt.ok) {
    const { kind, reason } = attempt.failure;
    if (kind === 'unreachable') return skipped('tls', 'not-seen');
    const say = onlyOld !== null ? 'old-only' : kind === 'silent' ? 'stalls' : 'ended';
    const data = { reason, port, ...(onlyOld === null ? {} : { old: onlyOld }) };
    return bad('tls', 'handshake-refused', { card: refused, say, data, cause: `handshake:${reason}` });
  }
  const seen = attempt.value;
  const certificate =
    forgottenProblem(input, seen) ??
    nameProblem(input, seen) ??
    dateProblem(input, seen) ??
    chainProblem(input, seen) ??
    weakProblem(input, seen) ??
    stapleProblem(seen) ??
    orderProblem(seen);
  const problems = [...(certificate === null ? [] : [certificate]), ...howProblems(seen)];
  const worst =
    problems.find((one) => severityOf(one) === 'error') ?? problems.find((one) => severityOf(one) === 'warning');
  if (worst !== undefined) return { ...bad('tls', kindOf(worst), worst), problems };
  const say = ({ this: 'replaced', others: 'chosen', none: null } as const)[input.authority];
  // A map without an authority is meant for practice: `check` says so.
  const note =
    seen.trustedBy === 'practice' && say !== null
      ? [{ card: practice, say, data: {}, cause: 'practice-authority' }]
      : [];
  const kind = seen.trustedBy === 'practice' ? 'practice' : 'secure';
  const renewed = heldProblem(input, seen);
  if (renewed?.severity === 'warning')
    return { ...bad('tls', 'older-certificate', renewed), problems: [renewed, ...problems] };
  return ok('tls', kind, seen.protocol, [...problems, ...(renewed === null ? [] : [renewed]), ...note]);
}

const kinds: Record<string, LegKind> = {
  'certificate-not-planned': 'older-certificate',
  'certificate-untrusted': 'untrusted',
  'certificate-weak': 'weak-certificate',
  'certificate-without-staple': 'no-staple',
  'certificate-chain-order': 'chain-order',
  'tls-too-old': 'old-tls',
  'tls-weak-suite': 'weak-suite',
  'chosen-http2-not-spoken': 'no-http2',
};

const kindsOfDates: Record<string, LegKind> = { ended: 'expired', early: 'not-yet-valid', soon: 'expires-soon' };

function kindOf({ card: { id }, say }: Problem): LegKind {
  if (id === 'certificate-other-name') return say === 'throwaway' ? 'throwaway' : 'other-name';
  if (id === 'certificate-dates') return kindsOfDates[say] ?? 'expired';
  return say === 'incomplete' ? 'no-chain' : (kinds[id] ?? 'untrusted');
}

function nameProblem({ name, domains, port, shownToAll }: TlsInput, { leaf }: TlsEvidence): Problem | null {
  if (covers(leaf.dnsNames, name)) return null;
  const shown = leaf.dnsNames.length === 0 ? 'no name at all' : leaf.dnsNames.join(', ');
  const ours = leaf.dnsNames.some((written) => domains.some((domain) => isUnder(written.toLowerCase(), domain)));
  const nameless = leaf.selfMade ? 'throwaway' : 'other';
  const own = leaf.fingerprint === shownToAll ? 'default' : 'other';
  const say = leaf.dnsNames.length === 0 ? nameless : ours ? own : 'foreign';
  // Each name without a certificate has a throwaway one of its own, for one reason.
  return { card: otherName, say, data: { shown, port }, cause: say === 'throwaway' ? say : causeOf(leaf) };
}

function dateProblem({ now, renewal }: TlsInput, { leaf }: TlsEvidence): Problem | null {
  const left = leaf.notAfter - now;
  const data = { from: day(leaf.notBefore), to: day(leaf.notAfter), days: Math.floor(left / dayMs), renewal };
  const cause = causeOf(leaf);
  if (left <= 0) return { card: dates, say: 'ended', data, cause };
  if (now < leaf.notBefore) return { card: dates, say: 'early', data, cause };
  // Two weeks, or for short-lived certificates a third of their life.
  const soon = Math.min(14 * dayMs, (leaf.notAfter - leaf.notBefore) / 3);
  return left < soon ? { card: dates, say: 'soon', data, cause, severity: 'warning' } : null;
}

function chainProblem(
  { now, renewal }: TlsInput,
  { leaf, trustedBy, chainDates, chainProblem: reason }: TlsEvidence,
): Problem | null {
  if (trustedBy !== null) return null;
  // The leaf's own dates were looked at before.
  const outdated = chainDates.find(({ notBefore, notAfter }) => notAfter <= now || notBefore > now);
  if (outdated !== undefined && /^CERT_(HAS_EXPIRED|NOT_YET_VALID)$/.test(reason ?? '')) {
    const dated = {
      subject: commonName(outdated.subject),
      from: day(outdated.notBefore),
      to: day(outdated.notAfter),
      renewal,
    };
    return { card: untrusted, say: 'outdated', data: dated, cause: `issuer:${outdated.subject}` };
  }
  const data = { issuer: leaf.issuer.replace(/\n/g, ', '), reason: reason ?? 'unknown', renewal };
  const says: Record<string, string> = {
    DEPTH_ZERO_SELF_SIGNED_CERT: 'self-made',
    UNABLE_TO_VERIFY_LEAF_SIGNATURE: 'incomplete',
    SELF_SIGNED_CERT_IN_CHAIN: 'unknown',
    UNABLE_TO_GET_ISSUER_CERT: 'incomplete',
    UNABLE_TO_GET_ISSUER_CERT_LOCALLY: 'unknown',
    INVALID_PURPOSE: 'purpose',
  };
  return { card: untrusted, say: says[reason ?? ''] ?? 'other', data, cause: `issuer:${data.issuer}` };
}

function weakProblem({ renewal }: TlsInput, { leaf, weak }: TlsEvidence): Problem | null {
  return weak === null ? null : { card: weakCertificate, say: 'weak', data: { weak, renewal }, cause: causeOf(leaf) };
}

function stapleProblem({ leaf, lacksStaple = false }: TlsEvidence): Problem | null {
  return lacksStaple ? { card: staple, say: 'missing', data: {}, cause: causeOf(leaf) } : null;
}

function orderProblem({ leaf, inOrder }: TlsEvidence): Problem | null {
  return inOrder === false ? { card: chainOrder, say: 'order', data: {}, cause: causeOf(leaf) } : null;
}

/** What is wrong with how the connection is made, whatever the certificate is like. */
function howProblems({ old, speaksTwo, suite, weakSuite: taken }: TlsEvidence): Problem[] {
  const problems: Array<Problem | null> = [
    old === null ? null : { card: oldTls, say: 'old', data: { old }, cause: `tls:${old}` },
    speaksTwo === false ? { card: falseTwo, say: 'silent', data: {}, cause: 'http2' } : null,
    suite !== null && isWeak(suite)
      ? { card: weakSuite, say: 'suite', data: { suite }, cause: `suite:${suite}` }
      : takenProblem(taken),
  ];
  return problems.filter((one) => one !== null);
}

/** With forward secrecy a suite with CBC is no more than old: every common client that has it has a better one too. */
function takenProblem(taken: TakenSuite): Problem | null {
  if (taken === null) return null;
  if (taken === 'unheard')
    return { card: weakSuite, say: 'unheard', data: {}, cause: 'suites-unheard', severity: 'note' };
  const { name, hasSecrecy, isBare = false } = taken;
  if (isBare) {
    const data = { suite: name };
    return { card: weakSuite, say: 'bare', data, cause: `suite-taken:${name}`, severity: 'error' };
  }
  const problem = { card: weakSuite, say: 'taken', data: { suite: name }, cause: `suite-taken:${name}` };
  return hasSecrecy ? { ...problem, severity: 'note' } : problem;
}

/** RFC 9325 §4.1: no forward secrecy, or no authenticated encryption. Suites of TLS 1.3 name no key exchange, and all are good. */
function isWeak(suite: string): boolean {
  if (/^TLS_(?!.*_WITH_)/.test(suite)) return false;
  return !/^(TLS_)?(EC)?DHE[_-]/.test(suite) || !/[_-](GCM|CCM|(CHACHA20[_-])?POLY1305)/.test(suite);
}

/** What is shown is wrong, and what lies here is right and newer: then the front was not reloaded since it came. */
function forgottenProblem(input: TlsInput, seen: TlsEvidence): Problem | null {
  const { name, held, now } = input;
  const { leaf } = seen;
  if (held === null || held.fingerprint === leaf.fingerprint || held.notBefore <= leaf.notBefore) return null;
  // One for another name was not the forerunner of that which lies here, unless that has all of its names and more.
  const isForerunner = leaf.dnsNames.every((one) => held.dnsNames.includes(one));
  const isRight = isForerunner && covers(held.dnsNames, name) && held.notBefore <= now && held.notAfter > now;
  const wrong = nameProblem(input, seen) ?? dateProblem(input, seen) ?? chainProblem(input, seen);
  if (!isRight || wrong === null || seen.trustedBy === 'practice') return null;
  const data = { shown: day(leaf.notAfter), held: day(held.notAfter) };
  return { card: notPlanned, say: 'forgotten', data, cause: `held:${held.fingerprint}`, severity: severityOf(wrong) };
}

function commonName(subject: string): string {
  return /(?:^|\n)CN=(.*)/.exec(subject)?.[1] ?? subject.replace(/\n/g, ', ');
}

function heldProblem({ held }: TlsInput, { leaf }: TlsEvidence): Problem | null {
  if (held === null || held.fingerprint === leaf.fingerprint) return null;
  const isOlder = held.issuer === leaf.issuer && leaf.notAfter < held.notAfter;
  const data = { shown: day(leaf.notAfter), held: day(held.notAfter) };
  const cause = `held:${held.fingerprint}`;
  return isOlder
    ? { card: notPlanned, say: 'older', data, cause, severity: 'warning' }
    : { card: notPlanned, say: 'other', data, cause };
}

function causeOf({ fingerprint }: CertificateFacts): string {
  return `certificate:${fingerprint}`;
}

function day(time: number): string {
  return new Date(time).toISOString().slice(0, 10);
}
