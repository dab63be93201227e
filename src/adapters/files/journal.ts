import { readFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import type * as z from 'zod';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import { addLine, ensureFolder } from './safe-write.ts';

/** Every entry of a journal (one JSON value a line), oldest first. A line that was cut by a full disk is left out. @throws Trouble `journal-unreadable` */
export async function readJournal<Entry>(file: string, form: z.ZodType<Entry>): Promise<Entry[]> {
  const text = await readFile(file, 'utf8').catch((error: unknown) => {
    if (codeOf(error) === 'ENOENT') return '';
    throw unreadable(file, error);
  });
  return text.split('\n').flatMap((line) => form.safeParse(parsed(line)).data ?? []);
}

function unreadable(file: string, cause: unknown): Trouble {
  const message = `The journal ${file} cannot be read: ${reasonOf(cause)}.`;
  return new Trouble({
    code: 'journal-unreadable',
    message,
    remedy: 'Move it away, or run this as a user who may read it.',
    cause,
  });
}

function parsed(line: string): unknown {
  try {
    return JSON.parse(line) as unknown;
  } catch {
    return null;
  }
}

/** Adds one entry, readable by the owner only. @throws Trouble `cannot-write` */
export async function addToJournal(file: string, entry: unknown): Promise<void> {
  await ensureFolder(dirname(file), 0o700);
  await addLine(file, JSON.stringify(entry), 0o600);
}
