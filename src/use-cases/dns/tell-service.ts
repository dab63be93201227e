import { createHash } from 'node:crypto';
import { dirname, join, resolve } from 'node:path';
import * as z from 'zod';
import { tellAddress } from '../../adapters/dns/update-url.ts';
import { addToJournal, readJournal } from '../../adapters/files/journal.ts';
import { readLogin, type Login } from '../../adapters/files/read-login.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { mayTell, updateAnswer, type UpdateAnswer, type UpdateEntry } from '../../core/records/update-answer.ts';
import type { Site } from '../map/load.ts';
import { dnsTimeoutMs } from './reader.ts';

interface TellServiceInput {
  site: Site;
  url: string;
  name: string;
  addresses: readonly string[];
  again: boolean;
  now: Date;
  signal: AbortSignal;
}

/** @property host of the service @property waits whether it has these addresses already, and only the name servers do not show them yet @property since ISO time when it took them */
export interface ToldService {
  host: string;
  waits: boolean;
  since: string;
}

/**
 * Tells a service for dynamic names each address that it does not have yet, as seldom as it wants to be told: what it answered is kept, and a refusal
 * is not provoked again.
 *
 * @throws Trouble `update-url-refused`, `update-url-rests`, `update-url-unclear`, and what `tellAddress` throws
 */
export async function tellService(input: TellServiceInput): Promise<ToldService> {
  const { site, url, name, addresses, again, now, signal } = input;
  const { host } = new URL(url);
  const { updateLogin } = site.map.dns;
  const what = 'file with the login of `dns.update-url`';
  const login = updateLogin === null ? null : await readLogin(resolve(dirname(site.mapFile), updateLogin), what);
  const told = digestOf(url, login, name);
  const journal = join(site.paths.dns, 'update-url.jsonl');
  let waits = true;
  let since = now.toISOString();
  for (const address of addresses) {
    const may = mayTell(await readJournal(journal, entryForm), { told, address, now });
    if (may.kind === 'has') {
      since = may.last.at;
      continue;
    }
    if (may.kind === 'refused' && !again) throw refusedBefore(host, may.last);
    if (may.kind === 'rests') throw rests(host, may.last, may.until);
    const reply = await tellAddress({ url, login, name, address, timeoutMs: 3 * dnsTimeoutMs, signal });
    const answer = updateAnswer(reply.status, reply.body);
    const entry: UpdateEntry = { at: now.toISOString(), told, address, kind: answer.kind, word: answer.word };
    await addToJournal(journal, entry);
    if (answer.kind !== 'taken' && answer.kind !== 'unchanged') throw notTaken({ host, name, address, answer });
    waits = false;
  }
  return { host, waits, since };
}

/** A new login or another address of the service is a new beginning; the login itself is kept nowhere. */
function digestOf(url: string, login: Login | null, name: string): string {
  return createHash('sha256')
    .update(JSON.stringify([url, login?.name, login?.password, name]))
    .digest('hex');
}

const entryForm: z.ZodType<UpdateEntry> = z.object({
  at: z.iso.datetime(),
  told: z.string(),
  address: z.string(),
  kind: z.enum(['taken', 'unchanged', 'refused', 'later', 'unclear']),
  word: z.string(),
});

function notTaken({
  host,
  name,
  address,
  answer,
}: {
  host: string;
  name: string;
  address: string;
  answer: UpdateAnswer;
}): Trouble {
  const message = `${host} did not take ${address} for ${name}. It answered ${answer.word}: ${answer.reason}.`;
  if (answer.kind === 'refused') return new Trouble({ code: 'update-url-refused', message, remedy: settle });
  const remedy = 'The next try is in half an hour at the earliest, by the timer or by: mile-marker dns update-address';
  return new Trouble({ code: answer.kind === 'later' ? 'update-url-rests' : 'update-url-unclear', message, remedy });
}

const settle =
  'Fix the account at the service, the map or the login. The next try is after such a change, or when you run: mile-marker dns update-address --again';

function refusedBefore(host: string, { at, word }: UpdateEntry): Trouble {
  const message = `${host} was not contacted: it answered ${word} at ${at}, and further tries would count against you.`;
  return new Trouble({ code: 'update-url-refused', message, remedy: settle });
}

function rests(host: string, { at, word }: UpdateEntry, until: Date): Trouble {
  const message = `${host} was not contacted: it answered ${word} at ${at}.`;
  return new Trouble({ code: 'update-url-rests', message, remedy: `Try again after ${until.toISOString()}.` });
}
