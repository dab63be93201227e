import { appendFile, readFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { authorityFor, openAccount, type AcmeSession, type Authority, type Proof } from '../adapters/acme/client.ts';
import { dnsPublisher, httpPublisher, type Publisher, type RecordWay } from '../adapters/acme/publish.ts';
import { suggestedWindow } from '../adapters/acme/renewal-info.ts';
import { storePair } from '../adapters/certificates/store.ts';
import { parseTsigKey } from '../adapters/dns/tsig.ts';
import { ask, systemResolver, type ZoneReader } from '../adapters/dns/zone.ts';
import type { NameServer } from '../adapters/dns/query.ts';
import { readText } from '../adapters/files/read-text.ts';
import { writeWhole } from '../adapters/files/safe-write.ts';
import { ensureState } from '../adapters/files/state-folder.ts';
import { parseEndpoint } from '../adapters/probe/look-up.ts';
import { codeOf, Trouble } from '../adapters/trouble.ts';
import { needsTrial, type Attempted } from '../core/certificates/attempts.ts';
import type { SuggestedWindow } from '../core/certificates/renewal.ts';
import { caaForbids, type CaaRecord } from '../core/certificates/caa.ts';
import type { MapAcme } from '../core/map/site-map.ts';
import type { PlannedCertificate } from '../core/plan/plan.ts';
import { refreshExports } from './keep-certificates.ts';
import type { Site } from './load.ts';

export interface ObtainInput {
  site: Site;
  certificates: readonly PlannedCertificate[];
  /** Whom DNS questions go to; null: the server for updates, else the first resolver of this machine. */
  resolver: NameServer | null;
  patienceMs: number;
  say: (text: string) => void;
  now: () => Date;
  signal: AbortSignal;
}

/** What became of one certificate. `trouble` null: it is held now. */
export interface Obtained {
  id: string;
  trouble: Trouble | null;
}

/**
 * Obtains certificates one after the other. Each try is one order: what fails is told and not tried again, since tries are
 * counted by the authority. Whatever was published is taken back, also after a failure or Ctrl-C; what is held stays until the
 * new one is whole.
 *
 * @throws Trouble when nothing at all can be tried
 */
export async function obtain(input: ObtainInput): Promise<Obtained[]> {
  const { site, certificates, say, now } = input;
  const acme = site.map.acme;
  if (acme === null) {
    const message = 'The map does not say from which authority.';
    throw new Trouble({
      code: 'acme-missing',
      message,
      remedy: 'Add to the map: acme: {directory: staging}',
      exitCode: 2,
    });
  }
  const folder = dirname(site.mapFile);
  const root =
    acme.root === null ? null : await readText({ path: resolve(folder, acme.root), what: 'root certificate' });
  const authority = authorityFor(acme.directory, root);
  refusePlaceholders({ authority, acme, certificates });
  await ensureState(site.paths);
  const external =
    acme.external === null ? null : { id: acme.external.id, key: await secretIn(resolve(folder, acme.external.key)) };
  const open = (from: Authority): Promise<AcmeSession> =>
    openAccount({ authority: from, folder: site.paths.acme, contact: acme.contact, external });
  const session = await open(authority);
  const past = await attempts(site);
  const results: Obtained[] = [];
  for (const planned of certificates) {
    input.signal.throwIfAborted();
    say(`${planned.id}: ${planned.names.join(', ')} from ${authority.shown}, by ${planned.challenge ?? 'http'}\n`);
    const trial = needsTrial(acme.directory, past, planned.id) ? authorityFor('staging', null) : null;
    const failed =
      trial === null
        ? null
        : await tryOnce({ ...input, planned, session: await open(trial), authority: trial, trial: true });
    const trouble = failed ?? (await obtainOne({ ...input, planned, session, authority, trial: false }));
    await record(site, {
      at: now().toISOString(),
      certificate: planned.id,
      authority: authority.shown,
      trouble: trouble?.code ?? null,
    });
    results.push({ id: planned.id, trouble });
  }
  return results;
}

async function authorityOf({ mapFile }: Site, acme: MapAcme): Promise<Authority> {
  const path = acme.root === null ? null : resolve(dirname(mapFile), acme.root);
  return authorityFor(acme.directory, path === null ? null : await readText({ path, what: 'root certificate' }));
}

/** What the authority suggests for those that it issued, by id. */
export async function suggestedWindows(
  site: Site,
  certificates: readonly PlannedCertificate[],
): Promise<Map<string, SuggestedWindow | null>> {
  const { acme } = site.map;
  if (acme === null) return new Map();
  const authority = await authorityOf(site, acme);
  const own = certificates.filter(({ from }) => from === 'acme');
  const asked = own.map(
    async ({ id, certificateFile }) => [id, await suggestedWindow(authority, certificateFile)] as const,
  );
  return new Map(await Promise.all(asked));
}

/** The first time the way is proven where tries cost nothing; what fails there is not tried where they are counted. */
function tryOnce(input: OneInput): Promise<Trouble | null> {
  input.say(`  proving the way with ${input.authority.shown} first\n`);
  return obtainOne(input);
}

async function secretIn(path: string): Promise<string> {
  return (await readText({ path, what: 'key of the external account' })).trim();
}

/** An authority for everybody issues for real names only, and writes to real people only. */
function refusePlaceholders({
  authority,
  acme,
  certificates,
}: {
  authority: Authority;
  acme: MapAcme;
  certificates: readonly PlannedCertificate[];
}): void {
  if (!authority.isPublic) return;
  const made = /(^|[.@])(example|test|invalid|localhost|local|internal|lan)$|(^|[.@])example\.(com|net|org)$/;
  if (acme.contact !== null && made.test(acme.contact)) {
    const message = `${acme.contact} is a placeholder, and the authority would refuse it.`;
    throw new Trouble({
      code: 'contact-placeholder',
      message,
      remedy: 'Write an address that you read under `acme.contact`, or leave it out.',
      exitCode: 2,
    });
  }
  const name = certificates.flatMap(({ names }) => names).find((one) => made.test(one));
  if (name === undefined) return;
  const message = `${name} is no name of the public DNS, so no public authority can issue for it.`;
  throw new Trouble({
    code: 'name-not-public',
    message,
    remedy: 'Use a domain that you own, or practice certificates: mile-marker certs make',
    exitCode: 2,
  });
}

interface OneInput extends ObtainInput {
  planned: PlannedCertificate;
  session: AcmeSession;
  authority: Authority;
  /** Everything but keeping what comes of it. */
  trial: boolean;
}

async function obtainOne(input: OneInput): Promise<Trouble | null> {
  const { planned, session, say, signal } = input;
  const kind = planned.challenge ?? 'http';
  const shown: Proof[] = [];
  let publisher: Publisher | null = null;
  try {
    await askCaa(input, kind);
    publisher = await publisherFor(input, kind);
    for (const left of await readPending(input)) await takeBack(publisher, left, say);
    const { proofs, finish } = await session.begin(planned.names, kind);
    // All records first: a bare name and its wildcard need two values side by side at one name.
    for (const proof of proofs) {
      signal.throwIfAborted();
      shown.push(proof);
      await writePending(input, shown);
      await publisher.show(proof);
      say(`  ${proof.name}: the proof is in place\n`);
    }
    for (const proof of proofs) {
      signal.throwIfAborted();
      await proof.complete();
      say(`  ${proof.name}: proven\n`);
    }
    const pair = await finish(planned.key);
    if (input.trial) return null;
    await storePair(planned, pair);
    await refreshExports(planned);
    return null;
  } catch (error) {
    if (error instanceof Trouble) return error;
    throw error;
  } finally {
    for (const proof of shown) await takeBack(publisher, proof, say);
    if (shown.length > 0) await writePending(input, []);
  }
}

type Pending = Pick<Proof, 'name' | 'kind' | 'token' | 'value'>;

/** What was published by a run that was killed: the next one takes it away first. */
async function readPending({ planned, site }: OneInput): Promise<Proof[]> {
  try {
    const left = JSON.parse(await readFile(pendingFile(site, planned), 'utf8')) as Pending[];
    return left.map((one) => ({ ...one, complete: () => Promise.resolve() }));
  } catch (error) {
    if (codeOf(error) === 'ENOENT' || error instanceof SyntaxError) return [];
    throw error;
  }
}

async function writePending({ planned, site }: OneInput, proofs: readonly Proof[]): Promise<void> {
  const left = proofs.map(({ name, kind, token, value }): Pending => ({ name, kind, token, value }));
  await writeWhole(pendingFile(site, planned), `${JSON.stringify(left)}\n`, 0o600);
}

function pendingFile({ paths }: Site, { id }: PlannedCertificate): string {
  return join(paths.acme, `${id}.pending.json`);
}

/** What cannot be taken back is told; it is no reason to lose a certificate that was issued. */
async function takeBack(publisher: Publisher | null, proof: Proof, say: (text: string) => void): Promise<void> {
  try {
    await publisher?.hide(proof);
  } catch (error) {
    say(`  ${proof.name}: the proof could not be taken away again: ${error instanceof Error ? error.message : ''}\n`);
  }
}

async function publisherFor(
  { site, resolver, patienceMs, say, now, signal }: OneInput,
  kind: 'http' | 'dns',
): Promise<Publisher> {
  const { plan, paths, map, mapFile } = site;
  if (kind === 'http') {
    const [address = '127.0.0.1'] = plan.front.listen.addresses;
    const front = {
      address: address === '0.0.0.0' || address === '::' ? '127.0.0.1' : address,
      port: plan.front.listen.http,
    };
    return httpPublisher({ folder: paths.challenges, front, timeoutMs });
  }
  const way = await recordWay(map.dns, dirname(mapFile));
  return dnsPublisher({ way, reader: readerFor(resolver, way), patienceMs, say, now, signal });
}

const timeoutMs = 5000;

function readerFor(resolver: NameServer | null, way: RecordWay): ZoneReader {
  const found = resolver ?? (way.kind === 'update' ? way.server : systemResolver());
  if (found !== null) return { resolver: found, timeoutMs };
  throw new Trouble({
    code: 'no-resolver',
    message: 'This machine knows no resolver.',
    remedy: 'Name one with --resolver ADDR[:PORT].',
  });
}

async function recordWay(dns: Site['map']['dns'], folder: string): Promise<RecordWay> {
  const { server = null, key: keyFile = null, program: words = null } = dns ?? {};
  if (server !== null) {
    const { address, port } = parseEndpoint(server, 53, 'dns.server');
    const path = resolve(folder, keyFile ?? '');
    const key = parseTsigKey(await readText({ path, what: 'TSIG key file' }));
    if (key !== null) return { kind: 'update', server: { address, port }, key };
    const message = `${path} holds no TSIG key.`;
    throw new Trouble({
      code: 'tsig-form',
      message,
      remedy: 'Write: key "NAME" { algorithm hmac-sha256; secret "BASE64"; };',
      exitCode: 2,
    });
  }
  if (words === null) return { kind: 'hand' };
  const [program = '', ...rest] = words;
  return { kind: 'program', program: [program.startsWith('.') ? join(folder, program) : program, ...rest] };
}

/** CAA records stand at the name or at the nearest one above that has any (RFC 8659 §3). */
async function askCaa({ planned, session, resolver, site, authority }: OneInput, kind: 'http' | 'dns'): Promise<void> {
  if (session.caaIdentities.length === 0) return;
  const reader = readerFor(resolver, await recordWay(site.map.dns, dirname(site.mapFile)));
  for (const name of planned.names) {
    const bare = name.replace(/^\*\./, '');
    const { at, records } = await caaOf(reader, bare);
    const why = caaForbids({
      records,
      identities: session.caaIdentities,
      wildcard: name !== bare,
      challenge: kind,
      accountUrl: session.accountUrl,
    });
    if (why === null) continue;
    const message = `The CAA record of ${at} keeps ${authority.shown} from issuing for ${name}: ${why}.`;
    const remedy = `Add: ${at}. CAA 0 issue "${session.caaIdentities[0] ?? ''}". The authority was not asked.`;
    throw new Trouble({ code: 'caa-forbids', message, remedy });
  }
}

async function caaOf(reader: ZoneReader, name: string): Promise<{ at: string; records: CaaRecord[] }> {
  const labels = name.split('.');
  for (let from = 0; from < labels.length; from += 1) {
    const at = labels.slice(from).join('.');
    const { answers } = await ask(reader, { name: at, type: 'CAA' });
    const records = answers.flatMap((answer) =>
      answer.type === 'CAA'
        ? [
            {
              tag: answer.data.tag.toLowerCase(),
              value: answer.data.value,
              critical: answer.data.issuerCritical === true,
            },
          ]
        : [],
    );
    if (records.length > 0) return { at, records };
  }
  return { at: name, records: [] };
}

function journalFile({ paths }: Site): string {
  return join(paths.acme, 'journal.jsonl');
}

async function record(site: Site, attempt: Attempted): Promise<void> {
  await appendFile(journalFile(site), `${JSON.stringify(attempt)}\n`, { mode: 0o600 });
}

/** Every try so far, oldest first. */
export async function attempts(site: Site): Promise<Attempted[]> {
  try {
    const text = await readFile(journalFile(site), 'utf8');
    return text.split('\n').flatMap((line) => (line === '' ? [] : [JSON.parse(line) as Attempted]));
  } catch (error) {
    if (codeOf(error) === 'ENOENT') return [];
    throw error;
  }
}
