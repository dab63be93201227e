import { X509Certificate } from 'node:crypto';
import type { CertificateFacts } from '../../core/certificates/cover.ts';
import { readText } from '../files/read-text.ts';
import { Trouble } from '../trouble.ts';

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
