import 'reflect-metadata';
import { randomBytes } from 'node:crypto';
import forge from 'node-forge';
import * as x509 from '@peculiar/x509';
import { newKeys, keyPem, pemOf, readKey, serial, signature, type Pair } from './make.ts';

const dayMs = 24 * 60 * 60 * 1000;

/** How long a list of removed devices counts, in days: past that every server refuses all devices. It is made anew long before. */
export const removedDays = 730;

/** @property serial hexadecimal; a new one where it is not given @property from when it counts; an hour ago where it is not given, for clocks that run behind */
interface DeviceInput {
  name: string;
  authority: Pair;
  now: Date;
  days: number;
  serial?: string;
  from?: Date;
}

/** Makes the certificate of a device (RFC 5280): its name is the common name, and it is good for clients alone (§4.2.1.12). */
export async function makeDevice(input: DeviceInput): Promise<Pair & { serial: string; ends: Date }> {
  const { name, authority, now, days } = input;
  const issuer = new x509.X509Certificate(authority.certificate);
  const keys = await newKeys();
  const number = input.serial ?? serial();
  const ends = new Date(now.getTime() + days * dayMs);
  const certificate = await x509.X509CertificateGenerator.create({
    serialNumber: number,
    subject: [{ CN: [name] }],
    issuer: issuer.subject,
    notBefore: input.from ?? new Date(now.getTime() - dayMs / 24),
    notAfter: ends,
    signingAlgorithm: signature,
    signingKey: await readKey(authority.key),
    publicKey: keys.publicKey,
    extensions: [
      new x509.BasicConstraintsExtension(false, undefined, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.clientAuth]),
      await x509.AuthorityKeyIdentifierExtension.create(issuer.publicKey),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey),
    ],
  });
  return { certificate: pemOf(certificate), key: await keyPem(keys.privateKey), serial: number, ends };
}

interface RemovedInput {
  authority: Pair;
  removed: ReadonlyArray<{ serial: string; at: Date }>;
  now: Date;
}

/** The signed list of certificates that count no more (RFC 5280 §5), as PEM. */
export async function makeRemovedList({ authority, removed, now }: RemovedInput): Promise<string> {
  const issuer = new x509.X509Certificate(authority.certificate);
  const list = await x509.X509CrlGenerator.create({
    issuer: issuer.subject,
    thisUpdate: new Date(now.getTime() - dayMs / 24),
    nextUpdate: new Date(now.getTime() + removedDays * dayMs),
    entries: removed.map(({ serial: serialNumber, at }) => ({ serialNumber, revocationDate: at })),
    signingAlgorithm: signature,
    signingKey: await readKey(authority.key),
    extensions: [await x509.AuthorityKeyIdentifierExtension.create(issuer.publicKey)],
  });
  // RFC 7468 §6: by this label servers know it.
  return `${x509.PemConverter.encode(list.rawData, 'X509 CRL')}\n`;
}

/** @property form `old`: triple DES and SHA-1, which every system imports; `modern`: AES-256 and SHA-256 */
interface BundleInput {
  pair: Pair;
  authority: string;
  name: string;
  password: string;
  form: 'old' | 'modern';
}

/** How often the password is hashed for the key of the whole. */
const rounds = 100_000;

const { asn1, pki, pkcs12, util, md, hmac } = forge;
const sequence = (...parts: forge.asn1.Asn1[]): forge.asn1.Asn1 =>
  asn1.create(asn1.Class.UNIVERSAL, asn1.Type.SEQUENCE, true, parts);
const set = (...parts: forge.asn1.Asn1[]): forge.asn1.Asn1 =>
  asn1.create(asn1.Class.UNIVERSAL, asn1.Type.SET, true, parts);
const oid = (name: string): forge.asn1.Asn1 =>
  asn1.create(asn1.Class.UNIVERSAL, asn1.Type.OID, false, asn1.oidToDer(name).getBytes());
const octets = (bytes: string): forge.asn1.Asn1 =>
  asn1.create(asn1.Class.UNIVERSAL, asn1.Type.OCTETSTRING, false, bytes);
const number = (value: number): forge.asn1.Asn1 =>
  asn1.create(asn1.Class.UNIVERSAL, asn1.Type.INTEGER, false, asn1.integerToDer(value).getBytes());
const tagged = (part: forge.asn1.Asn1): forge.asn1.Asn1 => asn1.create(asn1.Class.CONTEXT_SPECIFIC, 0, true, [part]);
const der = (part: forge.asn1.Asn1): string => asn1.toDer(part).getBytes();
const fromPem = (text: string): string => Buffer.from(x509.PemConverter.decodeFirst(text)).toString('latin1');

/** RFC 7292: key and certificate in one file with a password, as phones and computers import them. The library's own maker takes RSA keys only. */
export function bundleDevice({ pair, authority, name, password, form }: BundleInput): Buffer {
  const id = md.sha1.create().update(fromPem(pair.certificate)).digest().getBytes();
  const named = set(
    sequence(
      oid('1.2.840.113549.1.9.20'),
      set(
        asn1.create(
          asn1.Class.UNIVERSAL,
          asn1.Type.BMPSTRING,
          false,
          Buffer.from(name, 'utf16le').swap16().toString('latin1'),
        ),
      ),
    ),
    sequence(oid('1.2.840.113549.1.9.21'), set(octets(id))),
  );
  const certificate = (text: string, attributes: forge.asn1.Asn1[]): forge.asn1.Asn1 =>
    sequence(
      oid('1.2.840.113549.1.12.10.1.3'),
      tagged(sequence(oid('1.2.840.113549.1.9.22.1'), tagged(octets(fromPem(text))))),
      ...attributes,
    );
  const locked = pki.encryptPrivateKeyInfo(asn1.fromDer(fromPem(pair.key)), password, {
    algorithm: form === 'old' ? '3des' : 'aes256',
    ...(form === 'old' ? {} : { prfAlgorithm: 'sha256' }),
    count: form === 'old' ? 2048 : rounds,
  } as Parameters<typeof pki.encryptPrivateKeyInfo>[2]);
  const data = (content: forge.asn1.Asn1): forge.asn1.Asn1 =>
    sequence(oid('1.2.840.113549.1.7.1'), tagged(octets(der(content))));
  const safe = der(
    sequence(
      data(sequence(certificate(pair.certificate, [named]), certificate(authority, []))),
      data(sequence(sequence(oid('1.2.840.113549.1.12.10.1.2'), tagged(locked), named))),
    ),
  );
  return Buffer.from(
    der(sequence(number(3), sequence(oid('1.2.840.113549.1.7.1'), tagged(octets(safe))), sealed(safe, password, form))),
    'latin1',
  );
}

/** RFC 7292 appendix B: by which a wrong password is told from a broken file. */
function sealed(safe: string, password: string, form: BundleInput['form']): forge.asn1.Asn1 {
  const hash = form === 'old' ? md.sha1.create() : md.sha256.create();
  const salt = randomBytes(16).toString('latin1');
  const count = form === 'old' ? 2048 : rounds;
  const key = pkcs12.generateKey(password, util.createBuffer(salt), 3, count, form === 'old' ? 20 : 32, hash);
  const sum = hmac.create();
  sum.start(form === 'old' ? md.sha1.create() : md.sha256.create(), key);
  sum.update(safe);
  const algorithm = form === 'old' ? '1.3.14.3.2.26' : '2.16.840.1.101.3.4.2.1';
  const nothing = asn1.create(asn1.Class.UNIVERSAL, asn1.Type.NULL, false, '');
  return sequence(
    sequence(sequence(oid(algorithm), nothing), octets(sum.digest().getBytes())),
    octets(salt),
    number(count),
  );
}
