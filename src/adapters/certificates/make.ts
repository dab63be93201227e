import 'reflect-metadata';
import { randomBytes, webcrypto } from 'node:crypto';
import * as x509 from '@peculiar/x509';

x509.cryptoProvider.set(webcrypto);

const keyKind = { name: 'ECDSA', namedCurve: 'P-256' };
export const signature = { name: 'ECDSA', hash: 'SHA-256' };
const dayMs = 24 * 60 * 60 * 1000;

/** A certificate and its private key, both PEM; the key as PKCS#8. */
export interface Pair {
  certificate: string;
  key: string;
}

/** Longest life that browsers accept of a leaf (CA/Browser Forum Baseline Requirements §6.3.2, the 2020 to 2026 limit). */
export const leafDays = 397;
const authorityDays = 3650;

/** Makes an authority: self-signed, may sign leafs only (RFC 5280 §4.2.1.9, path length 0). */
export async function makeAuthority({ name, now }: { name: string; now: Date }): Promise<Pair> {
  const keys = await newKeys();
  const certificate = await x509.X509CertificateGenerator.createSelfSigned({
    serialNumber: serial(),
    name: [{ CN: [name] }],
    ...dates(now, authorityDays),
    signingAlgorithm: signature,
    keys,
    extensions: [
      new x509.BasicConstraintsExtension(true, 0, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey),
    ],
  });
  return { certificate: pemOf(certificate), key: await keyPem(keys.privateKey) };
}

/** Makes a leaf for `names`, signed by `authority`. The authority itself is put behind it, so the file holds the chain. */
export async function makeLeaf({
  names,
  authority,
  now,
}: {
  names: string[];
  authority: Pair;
  now: Date;
}): Promise<Pair> {
  const keys = await newKeys();
  const certificate = await signLeaf({ names, publicKey: keys.publicKey, authority, now, days: leafDays - 1 });
  return { certificate, key: await keyPem(keys.privateKey) };
}

interface LeafInput {
  names: readonly string[];
  /** IP addresses that it covers too. */
  addresses?: readonly string[];
  publicKey: x509.PublicKeyType;
  authority: Pair;
  now: Date;
  days: number;
}

/** Signs a leaf for a key. Returns the chain in PEM, the leaf first. */
export async function signLeaf({ names, addresses = [], publicKey, authority, now, days }: LeafInput): Promise<string> {
  const issuer = new x509.X509Certificate(authority.certificate);
  const certificate = await x509.X509CertificateGenerator.create({
    serialNumber: serial(),
    // The subject stays without a common name: names count in subjectAltName only, and a long one would not fit there.
    subject: '',
    issuer: issuer.subject,
    ...dates(now, days),
    signingAlgorithm: signature,
    signingKey: await readKey(authority.key),
    publicKey,
    extensions: [
      new x509.BasicConstraintsExtension(false, undefined, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
      // RFC 5280 §4.2.1.6: critical when the subject is empty.
      new x509.SubjectAlternativeNameExtension(
        [
          ...names.map((value) => ({ type: 'dns' as const, value })),
          ...addresses.map((value) => ({ type: 'ip' as const, value })),
        ],
        true,
      ),
      await x509.AuthorityKeyIdentifierExtension.create(issuer.publicKey),
      await x509.SubjectKeyIdentifierExtension.create(publicKey),
    ],
  });
  return pemOf(certificate) + pemOf(issuer);
}

/** Reads what a certificate is asked for (RFC 2986): its key, when the request is signed with it, and the names. */
export async function readRequest(der: Buffer): Promise<{ publicKey: x509.PublicKey; names: string[] } | null> {
  const request = new x509.Pkcs10CertificateRequest(der);
  if (!(await request.verify())) return null;
  const names =
    request.extensions.find((one) => one instanceof x509.SubjectAlternativeNameExtension)?.names.items ?? [];
  return { publicKey: request.publicKey, names: names.map(({ value }) => value) };
}

/** Makes the throwaway certificate: self-signed, without any name, so that a server starts and no browser believes it. */
export async function makeThrowaway(now: Date): Promise<Pair> {
  const keys = await newKeys();
  const certificate = await x509.X509CertificateGenerator.createSelfSigned({
    serialNumber: serial(),
    name: [{ CN: ['throwaway certificate of Mile Marker'] }],
    ...dates(now, 30),
    signingAlgorithm: signature,
    keys,
    extensions: [new x509.BasicConstraintsExtension(false, undefined, true)],
  });
  return { certificate: pemOf(certificate), key: await keyPem(keys.privateKey) };
}

/** A new key: what a certificate is signed for, and the private key as PEM. */
export async function makeKey(): Promise<{ publicKey: webcrypto.CryptoKey; key: string }> {
  const { publicKey, privateKey } = await newKeys();
  return { publicKey, key: await keyPem(privateKey) };
}

/** An hour of the past is covered too, for clocks that run behind. */
function dates(now: Date, days: number): { notBefore: Date; notAfter: Date } {
  return { notBefore: new Date(now.getTime() - dayMs / 24), notAfter: new Date(now.getTime() + days * dayMs) };
}

/** A pair on the curve P-256. */
export async function newKeys(): Promise<webcrypto.CryptoKeyPair> {
  return (await webcrypto.subtle.generateKey(keyKind, true, ['sign', 'verify'])) as webcrypto.CryptoKeyPair;
}

/** PKCS#8. */
export async function keyPem(key: webcrypto.CryptoKey): Promise<string> {
  return `${x509.PemConverter.encode(await webcrypto.subtle.exportKey('pkcs8', key), 'PRIVATE KEY')}\n`;
}

export async function readKey(text: string): Promise<webcrypto.CryptoKey> {
  const bytes = x509.PemConverter.decodeFirst(text);
  return webcrypto.subtle.importKey('pkcs8', bytes, keyKind, false, ['sign']);
}

export function pemOf(certificate: x509.X509Certificate): string {
  return `${certificate.toString('pem')}\n`;
}

/** RFC 5280 §4.1.2.2: positive, not zero, at most 20 octets. */
export function serial(): string {
  const bytes = randomBytes(16);
  bytes.writeUInt8((bytes.readUInt8(0) & 0x7f) | 0x40, 0);
  return bytes.toString('hex');
}
