import type { CertificateFacts } from '../../certificates/cover.ts';
import { card } from '../../findings/card.ts';
import { withPort } from '../../networks/address.ts';
import type { Upstream } from '../../plan/upstream.ts';
import type { ProxyProgram } from '../../proxies/program.ts';
import type { Problem } from '../leg.ts';

const unproven = card({
  id: 'service-not-trusted',
  severity: 'error',
  summary: 'A service behind HTTPS shows a certificate that the front does not trust.',
  why: 'The front closes the connection and answers 502, because somebody else might be answering.',
  source: 'RFC 9110 §4.3.4; RFC 7469 §2.4 (digest of a public key)',
  messages: {
    pin: {
      message: '{names}: the front does not trust the certificate that {upstream} shows: {reason}.',
      remedy:
        'Write in the map `upstream-pin: {pin}`, which trusts this one key. Or `upstream-ca: FILE`, which trusts what the certificate in FILE has signed: {fetch} > FILE',
    },
    ca: {
      message: '{names}: the front does not trust the certificate that {upstream} shows: {reason}.',
      remedy:
        'Write in the map `upstream-ca: FILE`{host}, which trusts this certificate, or the authority if FILE has that. To put it there: {fetch} > FILE',
    },
    name: {
      message: '{names}: the certificate that {upstream} shows is for {shown}, not for {wanted}.',
      remedy: 'Write in the map `upstream-host: {first}`{orPin}',
    },
    nameless: {
      message: '{names}: the certificate that {upstream} shows carries no name at all, so {proxy} cannot compare it.',
      remedy: 'Give the service a certificate with a name{orPin}',
    },
    key: {
      message: '{names}: {upstream} shows another key than `upstream-pin` names.',
      remedy:
        'If its certificate was replaced on purpose, write `upstream-pin: {pin}`. If not, find out who answers there.',
    },
  },
});

export const serviceProofCards = [unproven];

/**
 * What a service behind HTTPS shows.
 *
 * @property pin digest of its public key, as `upstream-pin` has it
 * @property chainProblem why its chain is not trusted, in OpenSSL's word; null when it is
 * @property fitsName whether it carries what the front compares it with
 */
export interface ServiceProof {
  leaf: CertificateFacts;
  pin: string;
  chainProblem: string | null;
  fitsName: boolean;
}

/** What the front of this map will not believe of a service; null when it will. */
export function unprovenProblem(
  { host, port, trust, verifyAs }: Upstream,
  { leaf, pin, chainProblem, fitsName }: ServiceProof,
  { limits, title }: Pick<ProxyProgram, 'limits' | 'title'>,
): Problem | null {
  const upstream = withPort(host, port);
  const orPin = limits.pin ? `. Or \`upstream-pin: ${pin}\`, which trusts this one key` : '';
  const [first] = leaf.dnsNames;
  const fetch = `openssl s_client -connect ${upstream} </dev/null 2>/dev/null | openssl x509`;
  const hostLine = fitsName || first === undefined ? '' : ` and \`upstream-host: ${first}\``;
  const names = { shown: leaf.dnsNames.join(', '), wanted: verifyAs ?? host, first: first ?? '', proxy: title };
  const data = { upstream, pin, fetch, reason: reasonOf(chainProblem, leaf), host: hostLine, orPin, ...names };
  const problem = (say: string): Problem => ({ card: unproven, say, data, cause: `service:${upstream}` });
  if (trust.kind === 'none') return null;
  if (trust.kind === 'pin') return pin === trust.digest || !limits.pin ? null : problem('key');
  if (chainProblem !== null) return problem(limits.pin ? 'pin' : 'ca');
  if (fitsName) return null;
  return problem(first === undefined ? 'nameless' : 'name');
}

function reasonOf(chainProblem: string | null, { issuer, selfMade, notAfter }: CertificateFacts): string {
  if (chainProblem === 'CERT_HAS_EXPIRED') return `it expired on ${new Date(notAfter).toISOString().slice(0, 10)}`;
  return selfMade ? 'no authority signed it' : `it is from ${issuer.replace(/\n/g, ', ')}`;
}
