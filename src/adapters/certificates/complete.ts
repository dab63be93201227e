import { X509Certificate } from 'node:crypto';
import { readdir, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { rootCertificates } from 'node:tls';
import { readText } from '../files/read-text.ts';
import { certificateFacts, namesIssuer, pemBlocks, readableChain, signs } from './read.ts';

/** Where systems keep the authorities that they trust, and some intermediates (Debian and Fedora `ca-certificates`). */
const systemFiles = ['/etc/ssl/certs/ca-certificates.crt', '/etc/pki/tls/certs/ca-bundle.crt'];

/** Names under which authorities send certificates, and how many are looked through. */
const likely = /\.(pem|crt|cer|ca-bundle)$/i;
const mostFiles = 100;
const mostBytes = 1024 * 1024;

/** @property found file in which what was missing stood; null when nothing had to be looked for */
type Completed = { ok: true; chain: X509Certificate[]; found: string | null } | { ok: false; issuer: string };

/**
 * The chain of a leaf that came alone, with its intermediate: looked for beside the files, then among what the system has. One that a trusted root signed
 * itself, or a private authority that names no place for its own certificate, needs none.
 */
export async function completed(chain: readonly X509Certificate[], files: readonly string[]): Promise<Completed> {
  const [leaf] = chain;
  const isAlone = chain.length === 1 && leaf !== undefined;
  if (!isAlone || certificateFacts(leaf).selfMade || !namesIssuer(leaf))
    return { ok: true, chain: [...chain], found: null };
  if (rootCertificates.some((pem) => signs(new X509Certificate(pem), leaf)))
    return { ok: true, chain: [...chain], found: null };
  for (const file of [...(await filesBeside(files)), ...systemFiles]) {
    const issuer = (await certificatesOf(file)).find((one) => signs(one, leaf) && !certificateFacts(one).selfMade);
    if (issuer !== undefined) return { ok: true, chain: [leaf, issuer], found: file };
  }
  return { ok: false, issuer: leaf.issuer.replace(/\n/g, ', ') };
}

async function filesBeside(files: readonly string[]): Promise<string[]> {
  const folders = [...new Set(files.map((file) => dirname(file)))];
  const lists = await Promise.all(
    folders.map(async (folder) => {
      const names = await readdir(folder).catch(() => []);
      return names.filter((name) => likely.test(name)).map((name) => join(folder, name));
    }),
  );
  return lists.flat().slice(0, mostFiles);
}

/** Nothing of a file that cannot be read, or is no file of certificates. */
async function certificatesOf(path: string): Promise<X509Certificate[]> {
  try {
    const { size } = await stat(path);
    if (size > mostBytes) return [];
    return readableChain(pemBlocks(await readText({ path, what: 'certificate' }))) ?? [];
  } catch {
    return [];
  }
}
