/**
 * Whether a certificate's DNS names cover a host name, by RFC 9525 §6.3: only DNS names of the subjectAltName count
 * (never the common name), compared without case; `*` stands alone in the leftmost label and covers exactly one label.
 *
 * @param name comparable form
 */
export function covers(dnsNames: readonly string[], name: string): boolean {
  return dnsNames.some((written) => coversOne(written, name));
}

function coversOne(written: string, name: string): boolean {
  const pattern = written.toLowerCase().replace(/\.$/, '');
  if (!pattern.includes('*')) return pattern === name;
  const rest = pattern.slice(2);
  if (!pattern.startsWith('*.') || rest.includes('*') || !rest.includes('.')) return false;
  const dot = name.indexOf('.');
  return dot >= 0 && name.slice(dot + 1) === rest;
}

/**
 * A certificate that lies on disk, with what came with it.
 *
 * @property chain what follows the leaf in its file, in the order of the file
 * @property inOrder each certificate is signed by the next one (RFC 8446 §4.4.2)
 * @property complete the last one is self-made, or at least one stands behind a leaf of an authority, where there is one to stand there
 * @property keyFits the private key belongs to it; null when there is none that can be read
 * @property keyMode permission bits of the key's file; null when it cannot be seen
 * @property weak what of it is too weak for browsers, in words, or null
 * @property forServers it may be used by servers (RFC 5280 §4.2.1.12)
 */
export interface HeldCertificate extends CertificateFacts {
  chain: CertificateFacts[];
  inOrder: boolean;
  complete: boolean;
  keyFits: boolean | null;
  keyMode: number | null;
  weak: string | null;
  forServers: boolean;
}

/**
 * What a certificate on disk or on the wire says of itself.
 *
 * @property notBefore milliseconds since the epoch @property notAfter the same
 * @property selfMade issuer and subject are one and the key signed itself
 */
export interface CertificateFacts {
  dnsNames: string[];
  subject: string;
  issuer: string;
  notBefore: number;
  notAfter: number;
  selfMade: boolean;
  fingerprint: string;
}
