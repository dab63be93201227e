import { X509Certificate } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import type { CertificateFacts, HeldCertificate } from '../../core/certificates/cover.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { readText } from '../files/read-text.ts';
import { codeOf, Trouble } from '../trouble.ts';
import { keyFits } from './key-fits.ts';

/** What the first certificate of a PEM file says, or null when there is no file or none that can be read. */
export async function readCertificate(file: string): Promise<CertificateFacts | null> {
  try {
    return certificateFacts(new X509Certificate(await readText({ path: file, what: 'certificate' })));
  } catch (error) {
    if (error instanceof Trouble || isParseError(error)) return null;
    throw error;
  }
}

function isParseError(error: unknown): boolean {
  return error instanceof Error && 'code' in error && String(error.code).startsWith('ERR_OSSL');
}

export function certificateFacts(certificate: X509Certificate): CertificateFacts {
  return {
    dnsNames: dnsNames(certificate.subjectAltName),
    subject: certificate.subject ?? '',
    issuer: certificate.issuer ?? '',
    notBefore: Date.parse(certificate.validFrom),
    notAfter: Date.parse(certificate.validTo),
    selfMade: certificate.subject === certificate.issuer && certificate.verify(certificate.publicKey),
    fingerprint: certificate.fingerprint256,
  };
}

/** The DNS names of a subjectAltName as Node prints it; names with odd characters are quoted there, and are no host names. */
function dnsNames(text: string | undefined): string[] {
  return (text ?? '').split(', ').flatMap((part) => /^DNS:([^"]+)$/.exec(part)?.[1] ?? []);
}

/** The names that a certificate covers, in lower case; null when it covers anything else as well, such as an address. */
export function dnsNamesAlone({ subjectAltName }: X509Certificate): string[] | null {
  const parts = (subjectAltName ?? '').split(', ');
  const names = dnsNames(subjectAltName);
  return names.length === parts.length ? names.map((name) => name.toLowerCase()) : null;
}

const largest = 1024 * 1024;

/** A planned certificate as it lies on disk with its key, or null when there is none that can be read. */
export function readHeldCertificate({
  certificateFile,
  keyFile,
}: Pick<PlannedCertificate, 'certificateFile' | 'keyFile'>): HeldCertificate | null {
  try {
    // Many small files: one after the other they are read much faster than through the thread pool.
    if (statSync(certificateFile).size > largest) return null;
    const [leaf, ...chain] = certificatesIn(readFileSync(certificateFile, 'latin1'));
    if (leaf === undefined) return null;
    return { ...certificateFacts(leaf), ...chainFacts(leaf, chain), ...keyFacts(leaf, keyFile) };
  } catch (error) {
    if (codeOf(error) !== null) return null;
    throw error;
  }
}

/** Every certificate of a PEM text, in its order. */
export function certificatesIn(text: string): X509Certificate[] {
  return pemBlocks(text).map((block, index) => (index === 0 ? new X509Certificate(block) : sharedCertificate(block)));
}

/** What stands behind a leaf stands behind many: each is read once. */
const shared = new Map<string, X509Certificate>();

function sharedCertificate(block: string): X509Certificate {
  const known = shared.get(block) ?? new X509Certificate(block);
  shared.set(block, known);
  return known;
}

export function pemBlocks(text: string): string[] {
  return text.match(/-----BEGIN CERTIFICATE-----[\s\S]*?-----END CERTIFICATE-----/g) ?? [];
}

/** Certificates that came over a wire or in somebody's file, whatever is in them; null when one of them cannot be read. */
export function readableChain(encoded: ReadonlyArray<Buffer | string>): X509Certificate[] | null {
  try {
    return encoded.map((one) => new X509Certificate(one));
  } catch {
    return null;
  }
}

/**
 * Whether none stands before what it signed. Others may stand between them, as the second path of a cross-signed chain does: clients must
 * be prepared for that (RFC 8446 §4.4.2), and one that goes on from certificate to certificate finds each behind those that it signed.
 */
export function inOrder([leaf, ...above]: readonly X509Certificate[]): boolean {
  return above.every((one, index) => {
    const before = [leaf, ...above.slice(0, index)].filter((other) => other !== undefined);
    const isBehind = before.some((other) => signs(one, other));
    return isBehind || !above.slice(index + 1).some((other) => signs(one, other));
  });
}

/** Whether each is signed by the next one, as what is stored must be. */
export function leadsOn(chain: readonly X509Certificate[]): boolean {
  return chain.every((one, index) => index === 0 || signs(one, chain[index - 1] ?? one));
}

type ChainFacts = Pick<HeldCertificate, 'chain' | 'inOrder' | 'complete' | 'weak' | 'forServers'>;

function chainFacts(leaf: X509Certificate, chain: readonly X509Certificate[]): ChainFacts {
  const all = [leaf, ...chain];
  return {
    chain: chain.map(knownFacts),
    inOrder: inOrder(all),
    complete: chain.length > 0 || certificateFacts(leaf).selfMade || !namesIssuer(leaf),
    weak: weakness(leaf),
    forServers: forServers(leaf),
  };
}

/**
 * Whether a certificate says where its issuer's own is to be had (RFC 5280 §4.2.2.1), as every public one does (Baseline Requirements §7.1.2.7.7). A
 * private authority that signs by itself has no intermediate, and says nothing.
 */
export function namesIssuer({ infoAccess }: X509Certificate): boolean {
  return /^CA Issuers - /m.test(infoAccess ?? '');
}

/** What stands behind a leaf stands behind many: each is judged once. */
const judged = new Map<string, CertificateFacts>();

function knownFacts(certificate: X509Certificate): CertificateFacts {
  const known = judged.get(certificate.fingerprint256) ?? certificateFacts(certificate);
  judged.set(certificate.fingerprint256, known);
  return known;
}

/** Extended key usages (RFC 5280 §4.2.1.12). */
const serverUse = '1.3.6.1.5.5.7.3.1';
const anyUse = '2.5.29.37.0';

/** RFC 5280 §4.2.1.12: without the extension a key is for everything. */
export function forServers(leaf: X509Certificate): boolean {
  const usage = leaf.keyUsage as string[] | undefined;
  return usage === undefined || usage.includes(serverUse) || usage.includes(anyUse);
}

export function signs(issuer: X509Certificate, certificate: X509Certificate): boolean {
  return certificate.checkIssued(issuer) && certificate.verify(issuer.publicKey);
}

/** Signature algorithms with SHA-1 or MD5 as they stand in DER (RFC 8017 appendix C, RFC 5758 §3.2). */
const weakSignatures = [
  '06092a864886f70d010104',
  '06092a864886f70d010105',
  '06072a8648ce3d0401',
  '06072a8648ce380403',
].map((hex) => Buffer.from(hex, 'hex'));

/** Baseline Requirements §6.1.5: RSA from 2048 bits, curves from P-256. */
export function weakness(certificate: X509Certificate): string | null {
  const { asymmetricKeyType: kind } = certificate.publicKey;
  const bits = kind === 'rsa' ? (certificate.publicKey.asymmetricKeyDetails?.modulusLength ?? 0) : 0;
  if (kind === 'rsa' && bits < 2048) return `its RSA key has only ${String(bits)} bits`;
  if (kind === 'dsa') return 'it has a DSA key';
  if (weakSignatures.some((oid) => certificate.raw.includes(oid))) return 'it is signed with SHA-1 or MD5';
  return null;
}

function keyFacts(leaf: X509Certificate, keyFile: string): Pick<HeldCertificate, 'keyFits' | 'keyMode'> {
  try {
    const keyMode = statSync(keyFile).mode & 0o777;
    return { keyFits: keyFits(leaf, readFileSync(keyFile, 'latin1')), keyMode };
  } catch {
    return { keyFits: null, keyMode: null };
  }
}

/** The extension by which a certificate says that it must come with a fresh word of its authority (RFC 7633: TLS feature 5, status_request). */
const mustStapleOid = Buffer.from('06082b06010505070118', 'hex');

export function mustStaple({ raw }: X509Certificate): boolean {
  return raw.includes(mustStapleOid);
}
