/**
 * Whether a certificate's DNS names cover a host name, by RFC 9525 §6.3: only DNS names of the subjectAltName count
 * (never the common name), compared without case; `*` stands alone in the leftmost label and covers exactly one label.
 *
 * @param name comparable form
 */
export function covers(dnsNames: readonly string[], name: string): boolean {
  return dnsNames.some((written) => coversOne(written.toLowerCase().replace(/\.$/, ''), name));
}

function coversOne(pattern: string, name: string): boolean {
  if (!pattern.includes('*')) return pattern === name;
  const [first = '', ...rest] = pattern.split('.');
  const [, ...below] = name.split('.');
  return first === '*' && rest.length >= 2 && rest.join('.') === below.join('.') && !rest.join('.').includes('*');
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
