import { practiceName } from '../../core/certificates/practice-name.ts';
import { createPrivateKey, X509Certificate } from 'node:crypto';
import { lstat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { covers } from '../../core/certificates/cover.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { ensureFolder, writeFirst, writeWhole } from '../files/safe-write.ts';
import { readText } from '../files/read-text.ts';
import { ensureState, type StatePaths } from '../files/state-folder.ts';
import { Trouble } from '../trouble.ts';
import type { Pair } from './make.ts';
import { storePair } from './store.ts';
import { readCertificate } from './read.ts';

// The certificate library is loaded by those commands only that make something.
const maker = () => import('./make.ts');

export function authorityFile(paths: StatePaths): string {
  return join(paths.practice, 'authority.pem');
}

interface PracticeInput {
  paths: StatePaths;
  certificates: readonly PlannedCertificate[];
  now: Date;
}

interface MadeCertificate {
  certificate: PlannedCertificate;
  made: boolean;
}

/**
 * Makes every practice certificate that is missing, does not fit its names, or has less than a third of its life left.
 * The authority is made once and kept: whoever trusts it goes on trusting it.
 */
export async function makePractice({ paths, certificates, now }: PracticeInput): Promise<MadeCertificate[]> {
  await ensureState(paths);
  const authority = await ensureAuthority(paths, now);
  const results: MadeCertificate[] = [];
  for (const certificate of certificates.filter(({ from }) => from === 'practice')) {
    const made = await isDue(certificate, authority, now);
    if (made) {
      const { makeLeaf } = await maker();
      await storePair(certificate, await makeLeaf({ names: certificate.names, authority, now }));
    }
    results.push({ certificate, made });
  }
  return results;
}

async function ensureAuthority(paths: StatePaths, now: Date): Promise<Pair> {
  await ensureFolder(paths.practice, 0o700);
  const certificateFile = authorityFile(paths);
  const keyFile = join(paths.practice, 'authority.key');
  if ((await lstat(certificateFile).catch(() => null)) === null) {
    const { makeAuthority } = await maker();
    const authority = await makeAuthority({
      name: `${practiceName}, made ${now.toISOString().slice(0, 10)}`,
      now,
    });
    // The certificate comes last: it stands for a complete pair. A key left alone by an interruption is replaced.
    await writeWhole(keyFile, authority.key, 0o600);
    await writeFirst(certificateFile, authority.certificate);
  }
  const authority = {
    certificate: await readText({ path: certificateFile, what: 'practice authority' }),
    key: await readText({ path: keyFile, what: 'key of the practice authority' }),
  };
  assertPair(authority, certificateFile);
  return authority;
}

function assertPair({ certificate, key }: Pair, file: string): void {
  try {
    if (new X509Certificate(certificate).checkPrivateKey(createPrivateKey(key))) return;
  } catch {
    // Told below: unreadable and not fitting have one remedy.
  }
  const message = `The practice authority ${file} and its key do not belong together.`;
  const remedy = `Remove the folder ${dirname(file)} and run it again. Then import the new authority where you imported the old one.`;
  throw new Trouble({ code: 'practice-authority-broken', message, remedy });
}

async function isDue(
  { certificateFile, keyFile, names }: PlannedCertificate,
  authority: Pair,
  now: Date,
): Promise<boolean> {
  const held = await readCertificate(certificateFile);
  const key = await lstat(keyFile).catch(() => null);
  if (held === null || key === null || !names.every((name) => covers(held.dnsNames, name))) return true;
  const isOurs = held.issuer === new X509Certificate(authority.certificate).subject;
  // One that somebody brought in stays while it lasts; practice is no reason to lose it.
  if (!isOurs) return held.selfMade || held.issuer.includes('practice authority') || held.notAfter <= now.getTime();
  return held.notAfter - now.getTime() < (held.notAfter - held.notBefore) / 3;
}

/**
 * Puts a throwaway certificate where a planned one is missing, so that a server starts without it.
 * Returns the ids of those that are now throwaway.
 */
export async function fillWithThrowaway({ paths, certificates, now }: PracticeInput): Promise<string[]> {
  const filled: string[] = [];
  for (const certificate of certificates) {
    const files = [certificate.certificateFile, certificate.keyFile];
    const there = await Promise.all(files.map((file) => lstat(file).catch(() => null)));
    if (!there.includes(null)) continue;
    await ensureState(paths);
    const { makeThrowaway } = await maker();
    await storePair(certificate, await makeThrowaway(now));
    filled.push(certificate.id);
  }
  return filled;
}
