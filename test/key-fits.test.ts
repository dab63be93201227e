import { execFileSync } from 'node:child_process';
import { createPrivateKey, generateKeyPairSync, X509Certificate, type KeyObject } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { keyFits } from '../src/adapters/certificates/key-fits.ts';
import { folderWith } from './support/program.ts';

const folder = folderWith();
const file = (name: string): string => join(folder, name);

/** A certificate that signs itself, made by openssl. */
function certificateOf(kind: string, key: KeyObject): X509Certificate {
  writeFileSync(file(kind), key.export({ type: 'pkcs8', format: 'pem' }));
  return new X509Certificate(
    execFileSync('openssl', ['req', '-x509', '-key', file(kind), '-subj', '/CN=www.saltmarsh.example', '-days', '2'], {
      stdio: ['ignore', 'pipe', 'ignore'],
    }),
  );
}

const kinds: Record<string, () => KeyObject> = {
  'P-256': () => generateKeyPairSync('ec', { namedCurve: 'P-256' }).privateKey,
  'P-384': () => generateKeyPairSync('ec', { namedCurve: 'P-384' }).privateKey,
  'P-521': () => generateKeyPairSync('ec', { namedCurve: 'P-521' }).privateKey,
  'RSA 2048': () => generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey,
  'RSA 1024': () => generateKeyPairSync('rsa', { modulusLength: 1024 }).privateKey,
  Ed25519: () => generateKeyPairSync('ed25519').privateKey,
};

const oldForms: Partial<Record<string, 'sec1' | 'pkcs1'>> = { ec: 'sec1', rsa: 'pkcs1' };

/** The ways in which a key of a kind may lie in its file. */
function written(kind: string, key: KeyObject): Record<string, string> {
  const usual = key.export({ type: 'pkcs8', format: 'pem' }).toString();
  const old = oldForms[key.asymmetricKeyType ?? ''];
  const lines = usual.split('\n');
  return {
    usual,
    'with Windows line ends': usual.replaceAll('\n', '\r\n'),
    'behind words': `A key of the marsh.\n${usual}`,
    locked: key.export({ type: 'pkcs8', format: 'pem', cipher: 'aes-256-cbc', passphrase: 'salt' }).toString(),
    'cut off within': lines.slice(0, -3).join('\n'),
    'without its last line of data': [...lines.slice(0, -3), ...lines.slice(-2)].join('\n'),
    'with a line missing': [lines[0], ...lines.slice(2)].join('\n'),
    empty: '',
    ...(old !== undefined ? { old: key.export({ type: old, format: 'pem' }).toString() } : {}),
    ...(key.asymmetricKeyType === 'ec'
      ? {
          'without its public half': execFileSync('openssl', ['ec', '-in', file(kind), '-no_public'], {
            encoding: 'utf8',
            stdio: ['ignore', 'pipe', 'ignore'],
          }),
        }
      : {}),
  };
}

/** What OpenSSL says of it. */
function truth(certificate: X509Certificate, pem: string): boolean | null {
  try {
    return certificate.checkPrivateKey(createPrivateKey(pem));
  } catch {
    return null;
  }
}

test.each(Object.keys(kinds))('%s: a key fits when OpenSSL says so, however it is written', (kind) => {
  const [own, other] = [kinds[kind]?.(), kinds[kind]?.()];
  if (own === undefined || other === undefined) throw new Error(kind);
  const certificate = certificateOf(kind, own);
  const forms = written(kind, own);
  const found = Object.entries(forms).map(([what, pem]) => [what, keyFits(certificate, pem)]);
  expect(found).toEqual(Object.entries(forms).map(([what, pem]) => [what, truth(certificate, pem)]));
  expect([keyFits(certificate, forms['usual'] ?? ''), keyFits(certificate, forms['locked'] ?? '')]).toEqual([
    true,
    null,
  ]);
  const strangers = Object.keys(kinds).flatMap((one) => kinds[one]?.() ?? []);
  for (const stranger of [other, ...strangers])
    expect(keyFits(certificate, stranger.export({ type: 'pkcs8', format: 'pem' }).toString())).toBe(false);
});
