import { createPrivateKey, type X509Certificate } from 'node:crypto';

/**
 * Whether the private key of a PEM text is the certificate's; null when there is none that can be read.
 *
 * A key that holds the certificate's public one is, and nearly every one does: beside the secret stands the point of a curve (RFC 5915 §3), or before it modulus
 * and exponent (RFC 8017 §A.1.2). To have OpenSSL read a key takes twenty times as long as to look for these bytes, for every road that has a pair of
 * its own.
 */
export function keyFits(certificate: X509Certificate, pem: string): boolean | null {
  const own = publicBytes(certificate);
  if (own.length >= shortest && wholeKey(pem)?.includes(own) === true) return true;
  try {
    return certificate.checkPrivateKey(createPrivateKey(pem));
  } catch {
    return null;
  }
}

/** Bytes of the shortest public half in use; of fewer some would stand in any key. */
const shortest = 32;

const pemKey = /-----BEGIN ((?:EC |RSA )?PRIVATE KEY)-----([A-Za-z0-9+/=\s]+)-----END \1-----/;

/** The key of a PEM text that is neither locked nor cut off. */
function wholeKey(pem: string): Buffer | null {
  const der = Buffer.from(pemKey.exec(pem)?.[2] ?? '', 'base64');
  return der[0] === 0x30 && element(der, 0).end === der.length ? der : null;
}

/** The point, or both numbers, as they stand in a private key, too: the subject's public key (RFC 5280 §4.1) without what is round them there. */
function publicBytes({ raw, publicKey }: X509Certificate): Buffer {
  const signed = element(raw, element(raw, 0).start);
  const version = element(raw, signed.start);
  const serial = raw[signed.start] === 0xa0 ? element(raw, version.end) : version;
  // The algorithm of the signature, issuer, validity and subject.
  const subject = [1, 2, 3, 4].reduce(({ end }) => element(raw, end), serial);
  const algorithm = element(raw, element(raw, subject.end).start);
  const bits = element(raw, algorithm.end);
  // The first byte of a string of bits says how many of the last are unused: none.
  const key = raw.subarray(bits.start + 1, bits.end);
  return publicKey.asymmetricKeyType === 'rsa' ? key.subarray(element(key, 0).start) : key;
}

/** Where the contents of an element begin and end (X.690 §8.1.3). */
function element(der: Buffer, at: number): { start: number; end: number } {
  const first = der[at + 1] ?? 0;
  const more = first < 0x80 ? 0 : first & 0x7f;
  const start = at + 2 + more;
  if (more > 4 || start > der.length) return { start, end: -1 };
  return { start, end: start + (more === 0 ? first : der.readUIntBE(at + 2, more)) };
}
