import { randomBytes, webcrypto } from 'node:crypto';
import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import type { CertificateSpec } from './row.ts';

x509.cryptoProvider.set(webcrypto);

export interface Pair {
  certificate: string;
  key: string;
}

interface Signer {
  certificate: x509.X509Certificate;
  keys: webcrypto.CryptoKeyPair;
}

const rsa = { name: 'RSASSA-PKCS1-v1_5', hash: 'SHA-256', publicExponent: new Uint8Array([1, 0, 1]) };
const kinds = {
  ec: { name: 'ECDSA', namedCurve: 'P-256' },
  'rsa-1024': { ...rsa, modulusLength: 1024 },
  'rsa-2048': { ...rsa, modulusLength: 2048 },
};
const dayMs = 86_400_000;

/** An authority with an intermediate, as public ones have them, and one that nobody trusts. */
export class TestAuthority {
  private constructor(
    readonly root: Signer,
    private readonly intermediate: Signer,
    private readonly stranger: Signer,
    private readonly outdated: Signer,
    /** The intermediate once more, signed by another authority. */
    private readonly crossed: x509.X509Certificate,
  ) {}

  static async make(): Promise<TestAuthority> {
    const root = await signed('marsh test root', null);
    const intermediate = await signed('marsh test intermediate', root);
    const outdated = await signed('marsh test intermediate of 2023', root, '2023-06-01');
    const stranger = await signed('somebody else', null);
    const crossed = await signed('marsh test intermediate', stranger, '2049-01-01', intermediate.keys);
    return new TestAuthority(root, intermediate, stranger, outdated, crossed.certificate);
  }

  get trusted(): string {
    return pem(this.root.certificate);
  }

  /** A leaf with what a server is to send with it. */
  async leaf(name: string, spec: CertificateSpec = {}): Promise<Pair> {
    const { by = 'intermediate', names = [name], key = 'ec', hash = 'SHA-256', use = 'server', sends } = spec;
    const keys = (await webcrypto.subtle.generateKey(kinds[key], true, ['sign', 'verify'])) as webcrypto.CryptoKeyPair;
    const signer = { stranger: this.stranger, outdated: this.outdated }[by as string] ?? this.intermediate;
    const signingKey = by === 'itself' ? keys.privateKey : signer.keys.privateKey;
    const certificate = await x509.X509CertificateGenerator.create({
      serialNumber: `40${randomBytes(15).toString('hex')}`,
      subject: by === 'itself' ? 'CN=self' : '',
      issuer: by === 'itself' ? 'CN=self' : signer.certificate.subject,
      notBefore: new Date(spec.from ?? Date.now() - dayMs),
      notAfter: new Date(spec.to ?? Date.now() + 80 * dayMs),
      signingAlgorithm: { name: signingKey.algorithm.name, hash },
      signingKey,
      publicKey: keys.publicKey,
      extensions: [
        ...(spec.mustStaple === true
          ? [new x509.Extension('1.3.6.1.5.5.7.1.24', false, Buffer.from('3003020105', 'hex'))]
          : []),
        new x509.BasicConstraintsExtension(false, undefined, true),
        new x509.ExtendedKeyUsageExtension([
          use === 'server' ? x509.ExtendedKeyUsage.serverAuth : x509.ExtendedKeyUsage.clientAuth,
        ]),
        new x509.SubjectAlternativeNameExtension(
          names.map((value) => ({ type: 'dns' as const, value })),
          by !== 'itself',
        ),
      ],
    });
    const chain =
      by === 'outdated'
        ? [certificate, this.outdated.certificate]
        : by !== 'intermediate' || sends === 'leaf'
          ? [certificate]
          : sends === 'swapped'
            ? [certificate, this.root.certificate, this.intermediate.certificate]
            : sends === 'crossed'
              ? [certificate, this.intermediate.certificate, this.crossed]
              : [certificate, this.intermediate.certificate];
    return { certificate: chain.map(pem).join(''), key: await keyPem(keys.privateKey) };
  }
}

async function signed(
  name: string,
  by: Signer | null,
  until = '2049-01-01',
  own: webcrypto.CryptoKeyPair | null = null,
): Promise<Signer> {
  const keys =
    own ?? ((await webcrypto.subtle.generateKey(kinds.ec, true, ['sign', 'verify'])) as webcrypto.CryptoKeyPair);
  const certificate = await x509.X509CertificateGenerator.create({
    serialNumber: `40${randomBytes(15).toString('hex')}`,
    subject: `CN=${name}`,
    issuer: by === null ? `CN=${name}` : by.certificate.subject,
    notBefore: new Date('2020-01-01'),
    notAfter: new Date(until),
    signingAlgorithm: { name: 'ECDSA', hash: 'SHA-256' },
    signingKey: (by?.keys ?? keys).privateKey,
    publicKey: keys.publicKey,
    extensions: [
      new x509.BasicConstraintsExtension(true, by === null ? 1 : 0, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
    ],
  });
  return { certificate, keys };
}

async function keyPem(key: webcrypto.CryptoKey): Promise<string> {
  return `${x509.PemConverter.encode(await webcrypto.subtle.exportKey('pkcs8', key), 'PRIVATE KEY')}\n`;
}

function pem(certificate: x509.X509Certificate): string {
  return `${certificate.toString('pem')}\n`;
}
