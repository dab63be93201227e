import { createPrivateKey, X509Certificate, type KeyObject } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import type { Pair } from './make.ts';
import { certificatesIn, signs } from './read.ts';

/** What files hold that somebody brings: certificates and keys in any number and order. */
interface Found {
  certificates: X509Certificate[];
  keys: KeyObject[];
}

interface BundleInput {
  files: readonly string[];
  /** Asked for at most once, when something is locked. */
  password: () => Promise<string>;
}

/**
 * Reads PEM and PKCS#12 files (RFC 7468, RFC 7292) and puts one leaf, its key and its chain together, the leaf first and
 * each certificate before the one that signed it.
 *
 * @throws Trouble `bundle-…` (exit code 2) when they do not make one pair; a key is never part of a message
 */
export async function readBundle({ files, password }: BundleInput): Promise<{ pair: Pair; leaf: X509Certificate }> {
  let given: string | null = null;
  const once = async (): Promise<string> => (given ??= await password());
  const found: Found = { certificates: [], keys: [] };
  for (const file of files) {
    const part = await readOne(file, once);
    found.certificates.push(...part.certificates);
    found.keys.push(...part.keys);
  }
  const unique = [...new Map(found.certificates.map((one) => [one.fingerprint256, one])).values()];
  const leaf = leafOf(unique, found.keys);
  const key = found.keys.find((one) => leaf.checkPrivateKey(one));
  if (key === undefined)
    throw wrong(
      'foreign-key',
      'The key does not belong to any of the certificates.',
      'Import the key that was used to request the certificate.',
    );
  const chain = chainOf(leaf, unique);
  const certificate = [leaf, ...chain].map((one) => one.toString()).join('');
  return { pair: { certificate, key: key.export({ type: 'pkcs8', format: 'pem' }).toString() }, leaf };
}

function leafOf(certificates: readonly X509Certificate[], keys: readonly KeyObject[]): X509Certificate {
  if (certificates.length === 0)
    throw wrong('no-certificate', 'The files hold no certificate.', 'Add the certificate, as PEM or PKCS#12.');
  if (keys.length === 0)
    throw wrong(
      'no-key',
      'The files hold no private key.',
      'Add the key. It was created when the certificate was requested.',
    );
  const fitting = certificates.filter((one) => keys.some((key) => one.checkPrivateKey(key)));
  const [first, second] = fitting;
  if (first === undefined)
    throw wrong(
      'foreign-key',
      'The key does not belong to any of the certificates.',
      'Import the key that was used to request the certificate.',
    );
  if (second !== undefined)
    throw wrong('several', 'The files hold several certificates with their keys.', 'Import one pair at a time.');
  return first;
}

/** Each certificate's signer after it, without the root, which visitors have. */
function chainOf(leaf: X509Certificate, all: readonly X509Certificate[]): X509Certificate[] {
  const chain: X509Certificate[] = [];
  for (let last = leaf; chain.length < all.length;) {
    const next = all.find((one) => one !== last && !chain.includes(one) && signs(one, last));
    if (next === undefined || next.checkIssued(next)) break;
    chain.push(next);
    last = next;
  }
  return chain;
}

const largest = 1024 * 1024;

async function readOne(file: string, password: () => Promise<string>): Promise<Found> {
  let bytes: Buffer;
  try {
    if ((await stat(file)).size > largest) throw Object.assign(new Error('it is larger than 1 MiB'), { code: 'EFBIG' });
    bytes = await readFile(file);
  } catch (cause) {
    if (codeOf(cause) === 'EFBIG')
      throw wrong('too-large', `${file} is larger than 1 MiB.`, 'A certificate is far smaller. Check the file.');
    throw wrong('unreadable', `${file} cannot be read: ${reasonOf(cause)}.`, 'Check the path.');
  }
  const text = bytes.toString('latin1');
  return text.includes('-----BEGIN') ? readPem(text, file, password) : readPkcs12(bytes, file, password);
}

async function readPem(text: string, file: string, password: () => Promise<string>): Promise<Found> {
  const blocks = text.match(/-----BEGIN [A-Z ]*PRIVATE KEY-----[\s\S]*?-----END [A-Z ]*PRIVATE KEY-----/g) ?? [];
  const keys: KeyObject[] = [];
  for (const block of blocks) {
    const locked = /ENCRYPTED/.test(block);
    const passphrase = locked ? await password() : undefined;
    try {
      keys.push(createPrivateKey(passphrase === undefined ? block : { key: block, passphrase }));
    } catch {
      // What the library says may quote the key's text.
      throw wrong(
        'key-unreadable',
        `A private key in ${file} cannot be read${locked ? ' with this password' : ''}.`,
        'Check the file and the password.',
      );
    }
  }
  try {
    return { certificates: certificatesIn(text), keys };
  } catch (cause) {
    throw wrong(
      'certificate-unreadable',
      `A certificate in ${file} cannot be read.`,
      'Export it again, as PEM.',
      cause,
    );
  }
}

async function readPkcs12(bytes: Buffer, file: string, password: () => Promise<string>): Promise<Found> {
  // A large library, needed for this one form only.
  const { default: forge } = await import('node-forge');
  const der = forge.util.createBuffer(bytes.toString('binary'));
  const open = (secret: string): ReturnType<typeof forge.pkcs12.pkcs12FromAsn1> =>
    forge.pkcs12.pkcs12FromAsn1(forge.asn1.fromDer(der.copy()), false, secret);
  let opened: ReturnType<typeof open>;
  let outer: Asn1;
  try {
    outer = forge.asn1.fromDer(der.copy());
  } catch {
    throw wrong(
      'unknown-form',
      `${file} is neither PEM nor PKCS#12.`,
      'Export the certificate with its key in one of these forms.',
    );
  }
  const rounds = mostRounds(outer, (text) => forge.asn1.fromDer(text));
  if (rounds > roundsAllowed)
    throw wrong(
      'too-slow',
      `${file} needs ${String(rounds)} rounds of hashing to open, which takes too long.`,
      'Export it again with fewer rounds, such as 2048.',
    );
  try {
    opened = open('');
  } catch {
    const secret = await password();
    try {
      opened = open(secret);
    } catch {
      throw wrong(
        'locked',
        `${file} cannot be opened with this password.`,
        'Check the password. It was set when the file was exported.',
      );
    }
  }
  const bags = opened.safeContents.flatMap(({ safeBags }) => safeBags);
  const derOf = (asn1: Parameters<typeof forge.asn1.toDer>[0]): Buffer =>
    Buffer.from(forge.asn1.toDer(asn1).getBytes(), 'binary');
  const certificates = bags.flatMap((bag) => {
    if (bag.type !== forge.pki.oids['certBag']) return [];
    const asn1 = bag.cert === undefined || bag.cert === null ? bag.asn1 : forge.pki.certificateToAsn1(bag.cert);
    return [new X509Certificate(derOf(asn1))];
  });
  const keys = bags.flatMap((bag) => {
    if (bag.type !== forge.pki.oids['keyBag'] && bag.type !== forge.pki.oids['pkcs8ShroudedKeyBag']) return [];
    // The library reads RSA keys only; others it hands on as they stand.
    const asn1 =
      bag.key === undefined || bag.key === null
        ? bag.asn1
        : forge.pki.wrapRsaPrivateKey(forge.pki.privateKeyToAsn1(bag.key));
    return [createPrivateKey({ key: derOf(asn1), format: 'der', type: 'pkcs8' })];
  });
  return { certificates, keys };
}

/** OpenSSL makes 2048 (RFC 7292 §C), some programs some hundred thousand; the library makes them in the one thread there is. */
const roundsAllowed = 600_000;

interface Asn1 {
  type: number;
  constructed: boolean;
  value: unknown;
}

/** The most rounds that some key of a bundle takes: a number behind a salt (RFC 7292 §4, RFC 8018 §A.2), however deep it lies. */
function mostRounds(node: Asn1, parse: (text: string) => Asn1, depth = 0): number {
  if (depth > 20) return Infinity;
  const octets = 4;
  const integer = 2;
  if (!Array.isArray(node.value)) {
    if (node.type !== octets || typeof node.value !== 'string') return 0;
    try {
      return mostRounds(parse(node.value), parse, depth + 1);
    } catch {
      return 0;
    }
  }
  const children = node.value as Asn1[];
  return children.reduce((most, child, index) => {
    const isRounds = child.type === integer && children[index - 1]?.type === octets && typeof child.value === 'string';
    const own = isRounds ? Number(`0x0${Buffer.from(String(child.value), 'binary').toString('hex')}`) : 0;
    return Math.max(most, own, mostRounds(child, parse, depth + 1));
  }, 0);
}

function wrong(code: string, message: string, remedy: string, cause?: unknown): Trouble {
  return new Trouble({ code: `bundle-${code}`, message, remedy, exitCode: 2, cause });
}
