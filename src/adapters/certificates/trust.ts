import { X509Certificate } from 'node:crypto';
import { rootCertificates } from 'node:tls';
import type { TlsEvidence } from '../../core/legs/tls/tls.ts';
import type { Trust } from '../probe/handshake.ts';
import { signs } from './read.ts';

const longestChain = 10;

interface Root {
  root: X509Certificate;
  by: 'given' | 'practice' | 'public';
}

let publicRoots: readonly Root[] | null = null;

/** Reading them all takes longer than judging many chains. */
function allPublic(): readonly Root[] {
  publicRoots ??= rootCertificates.map((pem) => ({ root: new X509Certificate(pem), by: 'public' }));
  return publicRoots;
}

/** Whether a chain that was written down leads to a root that is trusted (RFC 5280 §6.1, names and signatures), in the words of OpenSSL. */
export function trustIn(
  [leaf, ...rest]: readonly X509Certificate[],
  { given, practice }: Trust,
): Pick<TlsEvidence, 'trustedBy' | 'chainProblem'> {
  if (leaf === undefined) return { trustedBy: null, chainProblem: 'UNABLE_TO_GET_ISSUER_CERT' };
  const roots: readonly Root[] = [
    ...given.map((pem) => ({ root: new X509Certificate(pem), by: 'given' as const })),
    ...practice.map((pem) => ({ root: new X509Certificate(pem), by: 'practice' as const })),
    ...allPublic(),
  ];
  let current = leaf;
  for (let steps = 0; steps < longestChain; steps += 1) {
    const known = roots.find(
      ({ root }) => root.fingerprint256 === current.fingerprint256 || (root.ca && signs(root, current)),
    );
    if (known !== undefined) return { trustedBy: known.by, chainProblem: null };
    const next = rest.find((one) => one.ca && one.fingerprint256 !== current.fingerprint256 && signs(one, current));
    if (next === undefined) break;
    current = next;
  }
  const selfMade = leaf.subject === leaf.issuer;
  const alone = rest.length === 0 ? 'UNABLE_TO_VERIFY_LEAF_SIGNATURE' : 'UNABLE_TO_GET_ISSUER_CERT_LOCALLY';
  return { trustedBy: null, chainProblem: selfMade ? 'DEPTH_ZERO_SELF_SIGNED_CERT' : alone };
}
