import { covers, type CertificateFacts } from '../certificates/cover.ts';
import { isUnder } from '../names/host-name.ts';
import { card } from '../findings/card.ts';
import type { Attempt } from './answer.ts';
import { bad, ok, type LegResult, type Problem } from './leg.ts';

/** What the front showed in a handshake that came to its end. The leaf, and whether its chain leads to a trusted root. */
export interface TlsEvidence {
  protocol: string;
  leaf: CertificateFacts;
  /** `public`: a root that browsers trust; `given`: --trust; `practice`: our own; null: none, and `chainProblem` says why. */
  trustedBy: 'public' | 'given' | 'practice' | null;
  chainProblem: string | null;
}

const refused = card({
  id: 'handshake-refused',
  severity: 'error',
  summary: 'The front ends the TLS handshake for a name on the map.',
  why: 'It does not know the name: the newest configuration is not running, or another server answers.',
  source: 'RFC 6066 §3 (unrecognized_name); RFC 8446 §6.2',
  messages: {
    ended: {
      message: 'The front ends the handshake for {names}: {reason}.',
      remedy: 'Bring the newest map live: restart mile-marker serve, or write and reload your nginx.',
    },
    silent: {
      message: 'The front says nothing to a handshake for {names}.',
      remedy: 'Check that port {port} leads to the HTTPS listener, not to plain HTTP.',
    },
  },
});

const otherName = card({
  id: 'certificate-other-name',
  severity: 'error',
  summary: 'The certificate that the front shows does not cover the name.',
  why: 'Browsers refuse it. Often the right certificate exists and is not selected for this name, so the default one is shown.',
  source: 'RFC 9525 §6.3',
  messages: {
    other: {
      message: 'For {names} the front shows a certificate for {shown}.',
      remedy: 'Make one that covers it (mile-marker certs make) and bring it live.',
    },
    foreign: {
      message: "For {names} somebody else's server answers: its certificate is for {shown}.",
      remedy: 'Check that `front.address` is yours, and that the router passes port {port} to this machine.',
    },
    throwaway: {
      message: 'For {names} the front shows the throwaway certificate, since none is held.',
      remedy: 'Run: mile-marker check. It says what gets the real one.',
    },
  },
});

const dates = card({
  id: 'certificate-dates',
  severity: 'error',
  summary: 'The certificate that the front shows is out of its dates, or soon will be.',
  why: 'Browsers refuse it from one second to the next.',
  source: 'RFC 5280 §4.1.2.5',
  messages: {
    ended: {
      message: 'The certificate for {names} ended on {to}.',
      remedy: 'Renew it and reload the front. For practice: mile-marker certs make',
    },
    early: {
      message: 'The certificate for {names} counts only from {from} on.',
      remedy: 'Check the clock of the machine that made it, or wait.',
    },
    soon: {
      message: 'The certificate for {names} ends in {days} days, on {to}.',
      remedy: 'Renew it now. For practice: mile-marker certs make',
    },
  },
});

const untrusted = card({
  id: 'certificate-untrusted',
  severity: 'error',
  summary: 'The certificate that the front shows does not lead to an authority that is trusted.',
  why: 'Browsers show a warning that visitors should never learn to click away.',
  source: 'RFC 5280 §6',
  messages: {
    'self-made': {
      message: 'The certificate for {names} is self-made: it was issued by itself.',
      remedy: 'Use one from an authority, or say --trust FILE if it is meant to be trusted.',
    },
    incomplete: {
      message: 'The front shows the certificate for {names} without its intermediate.',
      remedy: 'Put the whole chain into the certificate file: the leaf first, then the intermediate.',
    },
    unknown: {
      message: 'The certificate for {names} was issued by {issuer}, which is trusted neither publicly nor by --trust.',
      remedy: 'Use a trusted authority, or name its certificate with --trust FILE.',
    },
    other: {
      message: 'The chain of the certificate for {names} is not accepted: {reason}.',
      remedy: 'Replace the certificate.',
    },
  },
});

const practice = card({
  id: 'certificate-practice',
  severity: 'note',
  summary: 'The certificate is from the practice authority.',
  why: 'Only machines on which you installed that authority accept it.',
  source: 'RFC 5280 §6.1: trust anchors',
  messages: {
    practice: {
      message: "{names}: the certificate is from your practice authority; other people's browsers will warn.",
      remedy: 'Good for practice. For visitors you need one from a public authority.',
    },
  },
});

export const tlsCards = [refused, otherName, dates, untrusted, practice];

const dayMs = 24 * 60 * 60 * 1000;

export interface TlsInput {
  name: string;
  attempt: Attempt<TlsEvidence>;
  port: number;
  /** The map's own domains: a certificate for none of them is somebody else's. */
  domains: readonly string[];
  /** Milliseconds since the epoch. */
  now: number;
}

/** Judges a handshake: that there is one, then name, dates and chain, as a browser would. */
export function judgeTls({ name, attempt, port, domains, now }: TlsInput): LegResult {
  if (!attempt.ok) {
    const { kind, reason } = attempt.failure;
    const say = kind === 'silent' ? 'silent' : 'ended';
    return bad('tls', 'refused', { card: refused, say, data: { reason, port }, cause: `handshake:${reason}` });
  }
  const { leaf, protocol, trustedBy } = attempt.value;
  const problem = nameProblem({ name, leaf, domains, port }) ?? dateProblem(leaf, now) ?? chainProblem(attempt.value);
  if (problem !== null) return bad('tls', saysOf(problem), problem);
  const note =
    trustedBy === 'practice' ? [{ card: practice, say: 'practice', data: {}, cause: 'practice-authority' }] : [];
  return ok('tls', trustedBy === 'practice' ? `${protocol} practice` : protocol, note);
}

function saysOf({ card: { id }, say }: Problem): string {
  if (id === 'certificate-other-name') return say === 'throwaway' ? 'throwaway' : 'other name';
  if (id === 'certificate-dates') return say === 'early' ? 'not yet' : say;
  return say === 'incomplete' ? 'no chain' : 'not trusted';
}

interface NameInput {
  name: string;
  leaf: CertificateFacts;
  domains: readonly string[];
  port: number;
}

function nameProblem({ name, leaf, domains, port }: NameInput): Problem | null {
  if (covers(leaf.dnsNames, name)) return null;
  const shown = leaf.dnsNames.length === 0 ? 'no name at all' : leaf.dnsNames.join(', ');
  const ours = leaf.dnsNames.some((written) => domains.some((domain) => isUnder(written.toLowerCase(), domain)));
  const nameless = leaf.selfMade ? 'throwaway' : 'other';
  const say = leaf.dnsNames.length === 0 ? nameless : ours ? 'other' : 'foreign';
  return { card: otherName, say, data: { shown, port }, cause: `certificate:${leaf.fingerprint}` };
}

function dateProblem(leaf: CertificateFacts, now: number): Problem | null {
  const left = leaf.notAfter - now;
  const data = { from: day(leaf.notBefore), to: day(leaf.notAfter), days: Math.floor(left / dayMs) };
  const cause = `certificate:${leaf.fingerprint}`;
  if (left <= 0) return { card: dates, say: 'ended', data, cause };
  if (now < leaf.notBefore) return { card: dates, say: 'early', data, cause };
  // Two weeks, or for short-lived certificates a third of their life.
  const soon = Math.min(14 * dayMs, (leaf.notAfter - leaf.notBefore) / 3);
  return left < soon ? { card: dates, say: 'soon', data, cause, severity: 'warning' } : null;
}

function chainProblem({ leaf, trustedBy, chainProblem: reason }: TlsEvidence): Problem | null {
  if (trustedBy !== null) return null;
  const data = { issuer: leaf.issuer.replace(/\n/g, ', '), reason: reason ?? 'unknown' };
  const says: Record<string, string> = {
    DEPTH_ZERO_SELF_SIGNED_CERT: 'self-made',
    UNABLE_TO_VERIFY_LEAF_SIGNATURE: 'incomplete',
    SELF_SIGNED_CERT_IN_CHAIN: 'unknown',
    UNABLE_TO_GET_ISSUER_CERT: 'incomplete',
    UNABLE_TO_GET_ISSUER_CERT_LOCALLY: 'unknown',
  };
  return { card: untrusted, say: says[reason ?? ''] ?? 'other', data, cause: `issuer:${data.issuer}` };
}

function day(time: number): string {
  return new Date(time).toISOString().slice(0, 10);
}
