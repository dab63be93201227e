import { reasonOf, Trouble } from '../trouble.ts';
import type { Login } from '../files/read-login.ts';

interface TellInput {
  url: string;
  login: Login | null;
  /** The name that gets the address. */
  name: string;
  address: string;
  timeoutMs: number;
  signal: AbortSignal;
}

const longestAnswer = 1024;

/**
 * Tells a service for dynamic names one address: `GET URL?hostname=NAME&myip=ADDRESS`, with the login as RFC 7617 has it. It is asked once, whatever comes:
 * these services count every question.
 *
 * @throws Trouble `update-url-silent` when no answer comes
 */
export async function tellAddress({ url, login, name, address, timeoutMs, signal }: TellInput): Promise<{
  status: number;
  body: string;
}> {
  const target = new URL(url);
  target.searchParams.set('hostname', name);
  target.searchParams.set('myip', address);
  const proof = login === null ? null : Buffer.from(`${login.name}:${login.password}`).toString('base64');
  const headers = {
    'user-agent': 'mile-marker dns update-address',
    ...(proof === null ? {} : { authorization: `Basic ${proof}` }),
  };
  const within = AbortSignal.any([signal, AbortSignal.timeout(timeoutMs)]);
  try {
    // The login goes to the service on the map, and nowhere else.
    const answer = await fetch(target, { headers, redirect: 'manual', signal: within });
    return { status: answer.status, body: await beginningOf(answer) };
  } catch (cause) {
    signal.throwIfAborted();
    throw new Trouble({
      code: 'update-url-silent',
      message: `${target.host} does not confirm the new address: ${reasonOf(cause)}.`,
      remedy: 'Check `dns.update-url` in the map, and that this machine can reach it.',
      cause,
    });
  }
}

async function beginningOf({ body }: Response): Promise<string> {
  let text = '';
  for await (const chunk of (body ?? []) as AsyncIterable<Uint8Array>) {
    text += Buffer.from(chunk).toString('utf8');
    if (text.length >= longestAnswer) break;
  }
  return text;
}
