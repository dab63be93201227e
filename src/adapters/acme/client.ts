import { X509Certificate } from 'node:crypto';
import { lstat } from 'node:fs/promises';
import https from 'node:https';
import { join } from 'node:path';
import acme from 'acme-client';
import * as z from 'zod';
import { ensureFolder, writeFirst } from '../files/safe-write.ts';
import { readText } from '../files/read-text.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { getJson } from './renewal-info.ts';

/** The authority that `staging` and `production` mean: the public one that issues to everybody without a charge. */
const directories = {
  staging: 'https://acme-staging-v02.api.letsencrypt.org/directory',
  production: 'https://acme-v02.api.letsencrypt.org/directory',
};

/** @property isPublic asked by everybody, so that mistakes cost everybody's patience */
export interface Authority {
  url: string;
  shown: string;
  isPublic: boolean;
  /** PEM of the root to trust for its own API, or null for the usual ones. */
  root: string | null;
}

export function authorityFor(directory: string, root: string | null): Authority {
  const isPublic = directory === 'staging' || directory === 'production';
  const url = isPublic ? directories[directory] : directory;
  return { url, shown: isPublic ? directory : new URL(url).host, isPublic, root };
}

export interface AccountInput {
  authority: Authority;
  /** Folder of the state in which accounts are kept. */
  folder: string;
  contact: string | null;
  external: { id: string; key: string } | null;
}

/** One name to be proven, in one of the ways that the authority offers. */
export interface Proof {
  name: string;
  kind: 'http' | 'dns';
  token: string;
  /** What the file must hold, or the TXT record (RFC 8555 §8.3, §8.4). */
  value: string;
  /** Asks the authority to look, and waits for its judgement. */
  complete: () => Promise<void>;
}

export interface AcmeSession {
  /** Domains by which a CAA record allows this authority (RFC 8659 §4.2). */
  caaIdentities: string[];
  accountUrl: string;
  /** Proofs that are still needed; names that were proven before need none. */
  begin: (
    names: readonly string[],
    kind: 'http' | 'dns',
  ) => Promise<{ proofs: Proof[]; finish: (key: 'ec' | 'rsa') => Promise<{ certificate: string; key: string }> }>;
}

/**
 * Opens the account at an authority, or makes it. Its key is made once for each authority and kept with mode 0600: whoever
 * holds it may revoke.
 *
 * @throws Trouble `acme-…` with the authority's own words
 */
export async function openAccount({ authority, folder, contact, external }: AccountInput): Promise<AcmeSession> {
  const caaIdentities = await identitiesOf(authority);
  acme.axios.defaults.httpsAgent = authority.root === null ? undefined : new https.Agent({ ca: authority.root });
  acme.axios.defaults.proxy = false;
  const accountKey = await keptKey(folder, authority);
  const client = new acme.Client({
    directoryUrl: authority.url,
    accountKey,
    backoffAttempts: 30,
    backoffMin: 1000,
    backoffMax: 10_000,
    ...(external === null ? {} : { externalAccountBinding: { kid: external.id, hmacKey: external.key } }),
  });
  await asking(authority, () => ensureAccount(client, contact));
  return {
    caaIdentities,
    accountUrl: client.getAccountUrl(),
    begin: (names, kind) => beginOrder({ client, authority, names, kind }),
  };
}

const directoryForm = z.object({ meta: z.object({ caaIdentities: z.array(z.string()).optional() }).optional() });

/** The first question, asked plainly: the client library tries again and again where nobody answers. */
async function identitiesOf(authority: Authority): Promise<string[]> {
  try {
    const { meta } = directoryForm.parse(await getJson(authority.url, authority));
    return meta?.caaIdentities ?? [];
  } catch (cause) {
    const message = `The authority ${authority.shown} cannot be reached: ${reasonOf(cause).replace(/\s+/g, ' ')}.`;
    const remedy = 'Check `acme.directory` and `acme.root` in the map, and the connection; then run it again.';
    throw new Trouble({ code: 'acme-unreachable', message, remedy, cause });
  }
}

/** For an account that exists the library sends an update, which some authorities refuse when there is nothing to update. */
async function ensureAccount(client: acme.Client, contact: string | null): Promise<void> {
  const wanted = contact === null ? {} : { contact: [`mailto:${contact}`] };
  try {
    await client.createAccount({ termsOfServiceAgreed: true, ...wanted });
  } catch (cause) {
    if (contact !== null || !isOpen(client)) throw cause;
  }
}

function isOpen(client: acme.Client): boolean {
  try {
    return client.getAccountUrl() !== '';
  } catch {
    return false;
  }
}

interface OrderInput {
  client: acme.Client;
  authority: Authority;
  names: readonly string[];
  kind: 'http' | 'dns';
}

async function beginOrder({ client, authority, names, kind }: OrderInput): ReturnType<AcmeSession['begin']> {
  const identifiers = names.map((value) => ({ type: 'dns', value }));
  const order = await asking(authority, () => client.createOrder({ identifiers }));
  const authorizations = await asking(authority, () => client.getAuthorizations(order));
  const proofs: Proof[] = [];
  for (const authorization of authorizations) {
    if (authorization.status === 'valid') continue;
    const name = authorization.identifier.value;
    const challenge = authorization.challenges.find(({ type }) => type === `${kind}-01`);
    if (challenge === undefined) {
      const message = `The authority ${authority.shown} offers no ${kind} challenge for ${name}.`;
      throw new Trouble({ code: 'acme-no-challenge', message, remedy: 'Write the other one under `acme.challenge`.' });
    }
    const value = await client.getChallengeKeyAuthorization(challenge);
    const complete = async (): Promise<void> => {
      await asking(authority, async () => {
        await client.completeChallenge(challenge);
        await client.waitForValidStatus(challenge);
      });
    };
    proofs.push({ name, kind, token: challenge.token, value, complete });
  }
  const finish = async (keyKind: 'ec' | 'rsa'): Promise<{ certificate: string; key: string }> => {
    const key =
      keyKind === 'ec' ? await acme.crypto.createPrivateEcdsaKey('P-256') : await acme.crypto.createPrivateRsaKey(2048);
    const [, csr] = await acme.crypto.createCsr({ altNames: [...names] }, key);
    const finished = await asking(authority, () => client.finalizeOrder(order, csr));
    const certificate = await asking(authority, () => client.getCertificate(finished));
    assertCovers(certificate, names, authority);
    return { certificate, key: key.toString() };
  };
  return { proofs, finish };
}

function assertCovers(certificate: string, names: readonly string[], { shown }: Authority): void {
  const written = (new X509Certificate(certificate).subjectAltName ?? '').split(', ');
  const missing = names.filter((name) => !written.includes(`DNS:${name}`));
  if (missing.length === 0) return;
  const message = `The authority ${shown} issued a certificate that lacks ${missing.join(', ')}.`;
  throw new Trouble({ code: 'acme-other-names', message, remedy: 'Run it again; tell the authority if it stays so.' });
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
    if (cause instanceof Trouble) throw cause;
    const words = reasonOf(cause).replace(/\s+/g, ' ');
    const limited = /rate ?limit|too many/i.test(words);
    const message = `The authority ${authority.shown} says no: ${words}`;
    const remedy = limited
      ? 'Wait as long as it says before you try again; each new try counts.'
      : 'Mend what it names, then run it again. Nothing that is held was changed.';
    throw new Trouble({ code: limited ? 'acme-limit' : 'acme-refused', message, remedy, cause });
  }
}
