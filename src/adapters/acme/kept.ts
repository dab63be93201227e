import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import { dnsName, token } from '../../core/outside/words.ts';
import type { Attempted } from '../../core/certificates/attempts.ts';
import { addToJournal, readJournal } from '../files/journal.ts';
import { writeTrouble, writeWhole } from '../files/safe-write.ts';
import { codeOf, reasonOf } from '../trouble.ts';
import type { PlacedOrder, Proof } from './client.ts';

/** What is kept between runs, so that a run that was killed is taken up by the next one. All of it with mode 0600. */

export type Published = Pick<Proof, 'name' | 'kind' | 'token' | 'value'>;

const parsed = <T extends string>(parse: (text: string) => T | null) =>
  z.string().transform((text, ctx) => {
    const found = parse(text);
    if (found !== null) return found;
    ctx.addIssue({ code: 'custom', message: 'not what is written here' });
    return z.NEVER;
  });

const publishedForm = z.array(
  z.object({ name: parsed(dnsName), kind: z.enum(['http', 'dns']), token: parsed(token), value: z.string() }),
);

/** What was published and not yet taken back. */
export async function readPublished(folder: string, id: string): Promise<Published[]> {
  return publishedForm.safeParse(await readJson(join(folder, `${id}.pending.json`))).data ?? [];
}

export async function writePublished(folder: string, id: string, proofs: readonly Published[]): Promise<void> {
  const file = join(folder, `${id}.pending.json`);
  if (proofs.length === 0) return remove(file);
  const left = proofs.map(({ name, kind, token, value }) => ({ name, kind, token, value }));
  await writeWhole(file, `${JSON.stringify(left)}\n`, 0o600);
}

const aliasesForm = z.array(z.object({ from: z.string(), to: z.string() }));
const aliasesFile = (folder: string): string => join(folder, 'aliases.json');

/** Aliases to ordinary names that somebody said yes to; null before anybody was asked. */
export async function readAliases(folder: string): Promise<Array<{ from: string; to: string }> | null> {
  return aliasesForm.safeParse(await readJson(aliasesFile(folder))).data ?? null;
}

export async function keepAlias(folder: string, alias: { from: string; to: string }): Promise<void> {
  const all = [...((await readAliases(folder)) ?? []).filter(({ from }) => from !== alias.from), alias];
  await writeWhole(aliasesFile(folder), `${JSON.stringify(all)}\n`, 0o600);
}

/** Certificates of which a run that was killed left something. */
export async function leftBehind(folder: string): Promise<{ published: string[]; ordered: string[] }> {
  const names = await readdir(folder).catch((): string[] => []);
  const of = (end: string): string[] =>
    names.flatMap((name) => (name.endsWith(end) && !name.startsWith('.') ? [name.slice(0, -end.length)] : []));
  return { published: of('.pending.json'), ordered: of('.order.json') };
}

/** Two orders are the same when they ask one authority for the same names and kind of key. */
interface OrderFor {
  authority: string;
  names: readonly string[];
  key: 'ec' | 'rsa';
}

const orderForm = z.object({ url: z.string(), for: z.string() });

/** The order of an earlier run, if it was for the same thing. */
export async function readOrder(folder: string, id: string, wanted: OrderFor): Promise<PlacedOrder | null> {
  const { data } = orderForm.safeParse(await readJson(join(folder, `${id}.order.json`)));
  if (data?.for !== JSON.stringify(wanted)) return null;
  const key = await readFile(join(folder, `${id}.order.key`), 'utf8').catch(() => null);
  return key === null ? null : { url: data.url, key };
}

/** The key first: an order without its key is worth nothing. */
export async function writeOrder(folder: string, id: string, wanted: OrderFor, order: PlacedOrder): Promise<void> {
  await writeWhole(join(folder, `${id}.order.key`), order.key, 0o600);
  const text = JSON.stringify({ url: order.url, for: JSON.stringify(wanted) });
  await writeWhole(join(folder, `${id}.order.json`), `${text}\n`, 0o600);
}

export async function forgetOrder(folder: string, id: string): Promise<void> {
  await remove(join(folder, `${id}.order.json`));
  await remove(join(folder, `${id}.order.key`));
}

/** Takes away what a run left half written when it was killed. */
export async function sweepHalves(folder: string, id: string): Promise<void> {
  const names = await readdir(folder).catch((): string[] => []);
  const halves = names.filter((name) => name.startsWith(`.${id}.`) && name.endsWith('.new'));
  for (const name of halves) await remove(join(folder, name));
}

async function remove(file: string): Promise<void> {
  try {
    await rm(file, { force: true });
  } catch (cause) {
    throw writeTrouble(file, cause);
  }
}

async function readJson(file: string): Promise<unknown> {
  try {
    return JSON.parse(await readFile(file, 'utf8')) as unknown;
  } catch (error) {
    if (codeOf(error) === 'ENOENT' || error instanceof SyntaxError) return null;
    throw error;
  }
}

const journalFile = (folder: string): string => join(folder, 'journal.jsonl');

const attemptForm = z.object({
  at: z.string(),
  certificate: z.string(),
  authority: z.string(),
  trouble: z.string().nullable(),
  notBefore: z.string().nullable().default(null),
});

/** Every try so far, oldest first. */
export function readAttempts(folder: string): Promise<Attempted[]> {
  return readJournal(journalFile(folder), attemptForm);
}

/** Returns why the try could not be written down, or null. That is no reason to lose what came of it. */
export async function writeAttempt(folder: string, attempt: Attempted): Promise<string | null> {
  try {
    await addToJournal(journalFile(folder), attempt);
    return null;
  } catch (error) {
    return reasonOf(error);
  }
}
