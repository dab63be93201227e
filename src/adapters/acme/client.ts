import { lstat } from 'node:fs/promises';
import { join } from 'node:path';
import acme from 'acme-client';
import * as z from 'zod';
import { ensureFolder, writeFirst } from '../files/safe-write.ts';
import { dnsName, oneLine, token, type DnsName, type Token } from '../../core/outside/words.ts';
import { readText } from '../files/read-text.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import type { Authority } from './authority.ts';
import { untilSettled } from './poll.ts';
import { transportFor } from './transport.ts';

interface AccountInput {
  authority: Authority;
  /** Folder of the state in which accounts are kept. */
  folder: string;
  contact: string | null;
  external: { id: string; key: string } | null;
  now: () => Date;
  signal: AbortSignal;
}

/** One name to be proven, in one of the ways that the authority offers. */
export interface Proof {
  name: DnsName;
  /** What is proven: the name, or the wildcard below it. */
  of: string;
  kind: 'http' | 'dns';
  token: Token;
  /** What the file must hold, or the TXT record (RFC 8555 §8.3, §8.4). */
  value: string;
  /** Asks the authority to look, and waits for its judgement. */
  complete: () => Promise<void>;
}

/** An order that was placed, and the private key that its certificate will have (PEM). */
export interface PlacedOrder {
  url: string;
  key: string;
}

interface OrderInput {
  names: readonly string[];
  kind: 'http' | 'dns';
  key: 'ec' | 'rsa';
  /** An order of an earlier run that did not come to its end; it is taken up when the authority still knows it. */
  earlier: PlacedOrder | null;
  /** Called as soon as there is an order, so that a later run can take it up. */
  keep: (order: PlacedOrder) => Promise<void>;
}

export interface AcmeSession {
  /** Domains by which a CAA record allows this authority (RFC 8659 §4.2). */
  caaIdentities: string[];
  accountUrl: string;
  /** Proofs that are still needed; names that were proven before need none. */
  begin: (
    order: OrderInput,
  ) => Promise<{ proofs: Proof[]; finish: () => Promise<{ certificate: string; key: string }> }>;
}

/**
 * Opens the account at an authority, or makes it. Its key is made once for each authority and kept with mode 0600: whoever
 * holds it may revoke.
 *
 * @throws Trouble `acme-…` with the authority's own words
 */
export async function openAccount({
  authority,
  folder,
  contact,
  external,
  now,
  signal,
}: AccountInput): Promise<AcmeSession> {
  const travel = transportFor(authority, now, signal);
  // The library has one transport for all its clients; ours knows the root to trust and when to stop.
  Object.assign(acme.axios.defaults, { adapter: travel });
  const accountKey = await keptKey(folder, authority);
  const client = new acme.Client({
    directoryUrl: authority.url,
    accountKey,
    ...(external === null ? {} : { externalAccountBinding: { kid: external.id, hmacKey: external.key } }),
  });
  const caaIdentities = await identitiesOf(authority);
  await asking(authority, () => ensureAccount(client, contact));
  return {
    caaIdentities,
    accountUrl: client.getAccountUrl(),
    begin: (order) => beginOrder({ client, authority, signal, ...order }),
  };
}

const directoryForm = z.object({
  newOrder: z.string(),
  meta: z.object({ caaIdentities: z.array(z.string()).default([]) }).default({ caaIdentities: [] }),
});

/** The first question is for the directory, so that what is no ACME authority is told as that. */
async function identitiesOf(authority: Authority): Promise<string[]> {
  const { data } = await acme.axios.get<unknown>(authority.url);
  const found = directoryForm.safeParse(data);
  if (found.success) return found.data.meta.caaIdentities;
  const said = z.object({ detail: z.string() }).safeParse(data).data?.detail;
  const words = said === undefined ? 'the answer is not an ACME directory' : oneLine(said);
  const remedy = 'Check `acme.directory` in the map: it must be the URL of the directory itself (RFC 8555 §7.1.1).';
  throw new Trouble({ code: 'acme-refused', message: `The authority ${authority.shown} refuses: ${words}`, remedy });
}

/** For an account that exists the library sends an update, which some authorities refuse when there is nothing to update. */
async function ensureAccount(client: acme.Client, contact: string | null): Promise<void> {
  const wanted = contact === null ? {} : { contact: [`mailto:${contact}`] };
  try {
    await client.createAccount({ termsOfServiceAgreed: true, ...wanted });
  } catch (cause) {
    if (cause instanceof Trouble || contact !== null || !isOpen(client)) throw cause;
  }
}

function isOpen(client: acme.Client): boolean {
  try {
    return client.getAccountUrl() !== '';
  } catch {
    return false;
  }
}

interface BeginInput extends OrderInput {
  client: acme.Client;
  authority: Authority;
  signal: AbortSignal;
}

async function beginOrder(input: BeginInput): ReturnType<AcmeSession['begin']> {
  const { client, authority, signal } = input;
  const { order, key } = (await takenUp(input)) ?? (await placed(input));
  const authorizations = order.status === 'pending' ? await authorizationsOf(input, order) : [];
  const open = authorizations.filter(({ status }) => status !== 'valid');
  const proofs = await Promise.all(open.map((authorization) => proofOf(input, authorization)));
  const read = () => client.getOrder(order);
  const finish = async (): Promise<{ certificate: string; key: string }> => {
    const certificate = await asking(authority, async () => {
      const now = await read();
      if (now.status === 'ready' || now.status === 'pending') {
        const [, csr] = await acme.crypto.createCsr({ altNames: [...input.names] }, key);
        // When the answer was lost on its way the second question is refused, though all is well.
        await client.finalizeOrder(order, csr).catch(unlessMoved(read, ['processing', 'valid']));
      }
      return client.getCertificate(await untilSettled(read, signal));
    });
    return { certificate, key };
  };
  return { proofs, finish };
}

/** Those of an order (RFC 8555 §7.1.3): one for each name at most, and each for one of the names ordered. */
async function authorizationsOf({ client, authority, names }: BeginInput, order: Order): Promise<acme.Authorization[]> {
  if (order.authorizations.length > names.length)
    throw odd(
      authority,
      `asks for ${String(order.authorizations.length)} proofs, and ${String(names.length)} names were ordered`,
    );
  return asking(authority, () => client.getAuthorizations(order));
}

function odd({ shown }: Authority, what: string): Trouble {
  return new Trouble({
    code: 'acme-odd',
    message: `The authority ${shown} ${what}. No challenge was answered.`,
    remedy: 'Check `acme.directory` in the map. If it is right, ask the people who run that authority.',
  });
}

type Order = Awaited<ReturnType<acme.Client['getOrder']>>;

/** The earlier order, unless the authority has forgotten it or given it up. */
async function takenUp({ client, earlier }: BeginInput): Promise<{ order: Order; key: string } | null> {
  if (earlier === null) return null;
  const order = await client.getOrder({ url: earlier.url } as Order).catch((error: unknown) => {
    if (error instanceof Trouble) throw error;
    return null;
  });
  return order === null || order.status === 'invalid' ? null : { order, key: earlier.key };
}

async function placed({
  client,
  authority,
  names,
  key: kind,
  keep,
}: BeginInput): Promise<{ order: Order; key: string }> {
  const identifiers = names.map((value) => ({ type: 'dns', value }));
  const made =
    kind === 'ec' ? await acme.crypto.createPrivateEcdsaKey('P-256') : await acme.crypto.createPrivateRsaKey(2048);
  const key = made.toString();
  const order = await asking(authority, () => client.createOrder({ identifiers }));
  await keep({ url: order.url, key });
  return { order, key };
}

async function proofOf(
  { client, authority, kind, signal, names }: BeginInput,
  authorization: acme.Authorization,
): Promise<Proof> {
  const name = dnsName(authorization.identifier.value);
  const isWildcard = authorization.wildcard === true;
  if (name === null || !names.includes(isWildcard ? `*.${name}` : name))
    throw odd(
      authority,
      `wants a proof for ${oneLine(JSON.stringify(authorization.identifier.value))}, which was not ordered`,
    );
  const challenge = authorization.challenges.find(({ type }) => type === `${kind}-01`);
  if (challenge === undefined) {
    const message = `The authority ${authority.shown} offers no ${kind} challenge for ${name}.`;
    throw new Trouble({
      code: 'acme-no-challenge',
      message,
      remedy: 'Write the other challenge under `acme.challenge`.',
    });
  }
  const parsed = token(challenge.token);
  if (parsed === null) throw odd(authority, 'sends a malformed token (RFC 8555 §8.1)');
  const value = await client.getChallengeKeyAuthorization(challenge);
  const read = async (): Promise<acme.Authorization> => {
    const [found] = await client.getAuthorizations({ authorizations: [authorization.url] } as Order);
    return found ?? authorization;
  };
  const complete = (): Promise<void> =>
    asking(authority, async () => {
      await client.completeChallenge(challenge).catch(unlessMoved(read, ['valid', 'invalid']));
      await untilSettled(read, signal);
    });
  return { name, of: isWildcard ? `*.${name}` : name, kind, token: parsed, value, complete };
}

/** What was refused may have been done already, by a run before or by an answer that got lost. */
function unlessMoved(read: () => Promise<{ status: string }>, there: readonly string[]) {
  return async (error: unknown): Promise<void> => {
    if (error instanceof Trouble || !there.includes((await read()).status)) throw error;
  };
}

async function keptKey(folder: string, { url }: Authority): Promise<string> {
  const own = join(folder, new URL(url).host.replace(/[^a-z0-9.-]/gi, '-'));
  const file = join(own, 'account.key');
  await ensureFolder(folder, 0o700);
  await ensureFolder(own, 0o700);
  if ((await lstat(file).catch(() => null)) === null) {
    await writeFirst(file, (await acme.crypto.createPrivateEcdsaKey('P-256')).toString(), 0o600);
  }
  return readText({ path: file, what: 'account key' });
}

/** The authority's refusals are told in its own words: they name the one thing it did not like. */
async function asking<T>(authority: Authority, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (cause) {
    if (cause instanceof Trouble || (cause instanceof Error && cause.name === 'AbortError')) throw cause;
    const message = `The authority ${authority.shown} refuses: ${oneLine(reasonOf(cause))}`;
    const remedy = 'Fix the cause above, then run this again. The stored certificates were not changed.';
    throw new Trouble({ code: 'acme-refused', message, remedy, cause });
  }
}
