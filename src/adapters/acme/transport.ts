import https from 'node:https';
import { setTimeout as pause } from 'node:timers/promises';
import type acme from 'acme-client';
import * as z from 'zod';
import { oneLine } from '../../core/outside/words.ts';
import { TimeUp } from '../probe/failure.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { retryAfter } from './retry-after.ts';
import type { Authority } from './authority.ts';

/** The authority asked us to stay away for a while. @property notBefore when it will listen again */
export class AuthorityLimit extends Trouble {
  readonly notBefore: Date;

  constructor(shown: string, words: string, notBefore: Date) {
    super({
      code: 'acme-limit',
      message: `The authority ${shown} refuses: too many requests: ${words}`,
      remedy: `Try again after ${notBefore.toISOString()}. Each try before that counts against you.`,
    });
    this.notBefore = notBefore;
  }
}

type Config = Pick<
  Parameters<Extract<typeof acme.axios.defaults.adapter, (...given: never[]) => unknown>>[0],
  'url' | 'method' | 'data' | 'headers'
>;

interface Reply {
  status: number;
  headers: Record<string, string>;
  data: string;
}

const timeoutMs = 15_000;
/** For a whole answer: one that comes a byte a second is none. */
const wholeMs = 30_000;
const tries = 3;
/** Longer waits are told, not sat out: the one who waits may be a person. */
const longestPauseMs = 30_000;

/**
 * How the client library's questions travel. The library itself would ask again whatever the answer, for as long as the
 * authority says; here a limit ends the work at once (RFC 8555 §6.6), and only silence and the server's own faults are tried
 * again, a few times.
 *
 * @throws AuthorityLimit on 429, or on 503 with a long Retry-After; Trouble `acme-unreachable`
 */
export function transportFor(authority: Authority, now: () => Date, signal: AbortSignal) {
  const rests = new Map<string, number>();
  return async (config: Config): Promise<Reply & { statusText: string; config: Config }> => {
    const rest = (rests.get(config.url ?? '') ?? 0) - now().getTime();
    if (rest > 0) await pause(rest, undefined, { signal });
    for (let attempt = 1; ; attempt += 1) {
      const reply = await exchange(config, authority, signal).catch((error: unknown) => {
        if (signal.aborted) throw error;
        return asError(error);
      });
      const askedMs = reply instanceof Error ? null : retryAfter(reply.headers['retry-after'] ?? null, now());
      if (!(reply instanceof Error) && reply.status < 500 && reply.status !== 429) {
        // Who is asked about something that is not ready yet may say when to ask again (RFC 8555 §7.5.1).
        rests.set(config.url ?? '', now().getTime() + Math.min(askedMs ?? 0, longestPauseMs));
        return { ...reply, statusText: '', config };
      }
      if (!(reply instanceof Error) && (reply.status === 429 || (askedMs ?? 0) > longestPauseMs)) {
        throw new AuthorityLimit(authority.shown, wordsOf(reply), new Date(now().getTime() + (askedMs ?? hourMs)));
      }
      if (attempt === tries || reply instanceof TimeUp)
        throw unreachable(authority, reply instanceof Error ? reasonOf(reply) : wordsOf(reply), reply);
      await pause(askedMs ?? attempt * 1000, undefined, { signal });
    }
  };
}

const hourMs = 3_600_000;

function asError(error: unknown): Error {
  return error instanceof Error ? error : new Error(String(error));
}

function unreachable({ shown }: Authority, words: string, cause: unknown): Trouble {
  const message = `The authority ${shown} is not reachable: ${oneLine(words)}.`;
  const remedy = 'Check `acme.directory` and `acme.root` in the map, and the connection. Then run it again.';
  return new Trouble({ code: 'acme-unreachable', message, remedy, cause });
}

const problemForm = z.object({ detail: z.string() });

/** The authority's own words (RFC 7807 §3.1), else the status. */
function wordsOf({ status, data }: Reply): string {
  try {
    return oneLine(problemForm.parse(JSON.parse(data)).detail);
  } catch {
    return `it answers with status ${String(status)}`;
  }
}

/** One plain question to the authority's API. Fails when nobody answers, or not in JSON. */
export async function getJson(url: string, authority: Pick<Authority, 'root'>): Promise<unknown> {
  const { data } = await exchange({ url, method: 'get', headers: {} as Config['headers'] }, authority, null);
  return JSON.parse(data) as unknown;
}

const longestAnswer = 1_048_576;

function exchange(
  { url = '', method = 'get', headers, data }: Config,
  { root }: Pick<Authority, 'root'>,
  signal: AbortSignal | null,
): Promise<Reply> {
  return new Promise((resolve, reject) => {
    const whole = AbortSignal.timeout(wholeMs);
    const options = {
      method: method.toUpperCase(),
      // The library's headers carry methods of their own, which are no headers.
      headers: Object.fromEntries(Object.entries(headers).flatMap(([name, value]) => headerOf(name, value))),
      ...(root === null ? {} : { ca: root }),
      agent: false,
      timeout: timeoutMs,
      signal: signal === null ? whole : AbortSignal.any([signal, whole]),
    } as const;
    const request = https.request(url, options, (answer) => {
      let body = '';
      answer.setEncoding('utf8').on('data', (text: string) => {
        body += text;
        if (body.length > longestAnswer) request.destroy(new Error('the answer is too long'));
      });
      answer.on('error', reject);
      answer.on('end', () => {
        const plain = Object.entries(answer.headers).map(([name, value]) => [name, String(value)]);
        resolve({ status: answer.statusCode ?? 0, headers: Object.fromEntries(plain), data: body });
      });
    });
    request.on('timeout', () => request.destroy(new Error('it gives no answer')));
    request.on('error', (error) => reject(whole.aborted ? new TimeUp('no complete answer', wholeMs) : error));
    request.end(typeof data === 'string' ? data : undefined);
  });
}

function headerOf(name: string, value: unknown): Array<[string, string]> {
  return typeof value === 'string' || typeof value === 'number' ? [[name, String(value)]] : [];
}
