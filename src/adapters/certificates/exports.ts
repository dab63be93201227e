import { readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import * as z from 'zod';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { readText } from '../files/read-text.ts';
import { isBounded, rootsPlace } from '../files/bounds.ts';
import { ensureFolder, writeTrouble, writeWhole } from '../files/safe-write.ts';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { runAfter } from '../processes/run-after.ts';

/**
 * A copy of a certificate for a program that needs it itself.
 *
 * @property to absolute path; with `key` the certificates alone, else the key behind them
 * @property then the program to run after each copy, without a shell, and its arguments
 */
export interface Export {
  to: string;
  key: string | null;
  then: string[];
}

const form = z.array(z.object({ to: z.string(), key: z.string().nullable(), then: z.array(z.string()) }));

/** In a map of somebody else root keeps its own list: what another user may write names no files for root to write, and no programs for it to run. */
function listFile({ certificateFile }: PlannedCertificate): string {
  const own = dirname(dirname(certificateFile));
  return join(isBounded(own) ? rootsPlace(own) : own, 'exports.json');
}

/** Where copies of a certificate go; every renewal goes there again. */
export async function readExports(planned: PlannedCertificate): Promise<Export[]> {
  return readList(listFile(planned), planned);
}

/** Copies that the owner of the map wants, and that root does not make. */
export async function exportsOfOwner(planned: PlannedCertificate): Promise<Export[]> {
  const own = dirname(dirname(planned.certificateFile));
  if (!isBounded(own)) return [];
  const roots = new Set((await readExports(planned)).map(({ to }) => to));
  return (await readList(join(own, 'exports.json'), planned)).filter(({ to }) => !roots.has(to));
}

async function readList(file: string, planned: PlannedCertificate): Promise<Export[]> {
  try {
    return form.parse(JSON.parse(await readFile(file, 'utf8')));
  } catch (cause) {
    if (codeOf(cause) === 'ENOENT') return [];
    const message = `The list of copies of ${planned.id} cannot be read: ${reasonOf(cause)}.`;
    throw new Trouble({
      code: 'exports-unreadable',
      message,
      remedy: `Remove ${file} and export again.`,
      cause,
    });
  }
}

/** Remembers a copy; another one to the same file takes its place. */
export async function rememberExport(planned: PlannedCertificate, wanted: Export): Promise<void> {
  const rest = (await readExports(planned)).filter(({ to }) => to !== wanted.to);
  await ensureFolder(dirname(listFile(planned)), 0o755);
  await writeWhole(listFile(planned), `${JSON.stringify([...rest, wanted], null, 2)}\n`);
}

/**
 * Writes one copy and runs its program. The key is never readable by others, not for an instant.
 *
 * @throws Trouble `then-failed` when the program cannot be run or ends with another code than 0
 */
export async function writeExport(planned: PlannedCertificate, { to, key, then }: Export): Promise<void> {
  const certificate = await readText({ path: planned.certificateFile, what: 'certificate' });
  const secret = await readText({ path: planned.keyFile, what: 'key' });
  if (key === null) await write(to, certificate + secret, 0o600);
  else {
    await write(key, secret, 0o600);
    await write(to, certificate, 0o644);
  }
  if (then.length > 0) await runThen(then);
}

async function write(path: string, content: string, mode: number): Promise<void> {
  try {
    await writeWhole(path, content, mode);
  } catch (cause) {
    throw cause instanceof Trouble ? cause : writeTrouble(path, cause);
  }
}

/** Once the pair is in place. @throws Trouble `then-failed` */
export function runThen(then: readonly string[]): Promise<void> {
  return runAfter(then, { remedy: 'Run it by hand and fix it. The certificate itself is in place.' });
}
