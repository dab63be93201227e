import { editionNumber } from '../../core/proxies/edition.ts';
import { chmod, lstat, readdir, rename, rm, symlink } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { ensureFolder, giveOver, switchLink, syncFolder, writeNew, writeTrouble } from '../files/safe-write.ts';
import { codeOf } from '../trouble.ts';
import type { Pair } from './make.ts';

/** How many pairs are kept of each certificate: the one in use and those before it. */
const kept = 3;

/**
 * Stores a certificate with its key, and switches to it in one step: `current` is a link to the newest of the numbered
 * folders, so that no reader ever gets a certificate with another's key. The key is never readable by others, not for an
 * instant. When the disk is full or read-only the pair in use stays.
 */
export async function storePair(planned: Pick<PlannedCertificate, 'certificateFile'>, pair: Pair): Promise<void> {
  const own = dirname(dirname(planned.certificateFile));
  await ensureFolder(own);
  const before = await numbers(own);
  const number = editionNumber(Math.max(0, ...before.map(Number)) + 1);
  const half = join(own, `.${number}.new`);
  try {
    await rm(half, { recursive: true, force: true });
    await ensureFolder(half, 0o700);
    await writeNew(join(half, 'key.pem'), pair.key, 0o600);
    await writeNew(join(half, 'certificate.pem'), pair.certificate);
    await switchLink(join(half, besides('certificate.pem')), 'key.pem');
    await chmod(half, 0o755);
    await syncFolder(half);
    await rename(half, join(own, number));
  } catch (cause) {
    await rm(half, { recursive: true, force: true }).catch(() => undefined);
    throw writeTrouble(own, cause);
  }
  await syncFolder(own);
  await switchLink(join(own, 'current'), number);
  for (const old of before.slice(0, Math.max(0, before.length + 1 - kept))) {
    await rm(join(own, old), { recursive: true, force: true });
  }
}

/** Servers that are told of one file alone look for its key under this name beside it. */
function besides(certificate: string): string {
  return `${certificate}.key`;
}

/** Pairs of earlier versions have no such link yet. */
export async function joinPairs(certificates: readonly PlannedCertificate[]): Promise<void> {
  for (const { certificateFile, keyFile } of certificates) {
    const path = besides(certificateFile);
    try {
      await symlink(basename(keyFile), path);
      await giveOver(path);
    } catch (cause) {
      if (codeOf(cause) !== 'EEXIST' && codeOf(cause) !== 'ENOENT') throw writeTrouble(path, cause);
    }
  }
}

async function numbers(folder: string): Promise<string[]> {
  const names = (await readdir(folder)).filter((name) => /^\d{4,}$/.test(name));
  const folders = await Promise.all(
    names.map(async (name) => ((await lstat(join(folder, name))).isDirectory() ? [name] : [])),
  );
  return folders.flat().sort();
}
