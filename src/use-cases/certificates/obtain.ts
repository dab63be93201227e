import { dirname, resolve } from 'node:path';
import { authorityFor, type Authority } from '../../adapters/acme/authority.ts';
import { openAccount, type AcmeSession } from '../../adapters/acme/client.ts';
import { readAttempts, writeAttempt } from '../../adapters/acme/kept.ts';
import { suggestedWindow } from '../../adapters/acme/renewal-info.ts';
import { AuthorityLimit } from '../../adapters/acme/transport.ts';
import type { NameServer } from '../../adapters/dns/query.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { askedToWait, needsTrial, type Attempted } from '../../core/certificates/attempts.ts';
import type { SuggestedWindow } from '../../core/certificates/renewal.ts';
import type { MapAcme } from '../../core/map/site-map.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import type { Site } from '../map/load.ts';
import { obtainOne } from './obtain-one.ts';

interface ObtainInput {
  site: Site;
  certificates: readonly PlannedCertificate[];
  /** Whom DNS questions go to; null: the server for updates, else the first resolver of this machine. */
  resolver: NameServer | null;
  patienceMs: number;
  say: (text: string) => void;
  now: () => Date;
  signal: AbortSignal;
  ask: ((question: string) => Promise<string>) | null;
}

/** What became of one certificate. `trouble` null: it is stored. */
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
  const { site, certificates, say, now, signal } = input;
  const acme = site.map.acme;
  if (acme === null) throw noAuthority();
  const authority = await authorityOf(site, acme);
  refusePlaceholders({ authority, acme, certificates });
  await ensureState(site.paths);
  const folder = site.paths.acme;
  const past = await readAttempts(folder);
  const wait = askedToWait(past, authority.shown, now().getTime());
  if (wait !== null) {
    const trouble = new AuthorityLimit(authority.shown, 'it asked us to wait, and was not asked again.', wait);
    return certificates.map(({ id }) => ({ id, trouble }));
  }
  const external = acme.external === null ? null : await externalAccount(acme.external, dirname(site.mapFile));
  const open = (from: Authority): Promise<AcmeSession> =>
    openAccount({ authority: from, folder, contact: acme.contact, external, now, signal });
  const untried = certificates.filter(({ id }) => needsTrial(acme.directory, past, id));
  const failed = await failedTrials(input, past, untried, open);
  const results: Obtained[] = [];
  let session: AcmeSession | null = null;
  const tryOne = async (planned: PlannedCertificate): Promise<Trouble | null> => {
    const { names } = planned;
    // Each is listed below; many would fill the screen.
    const of = names.length < 3 ? names.join(', ') : `${String(names.length)} names`;
    say(`${planned.id}: ${of} from ${authority.shown}, by ${planned.challenge ?? 'http'}\n`);
    session ??= await open(authority);
    return obtainOne({ ...input, planned, session, authority, trial: false });
  };
  for (const planned of certificates) {
    signal.throwIfAborted();
    const onTrial = failed.get(planned.id);
    const trouble = onTrial ?? (await tryOne(planned).catch(onlyLimits));
    if (onTrial === undefined) await writeDown(input, authority, planned.id, trouble);
    results.push({ id: planned.id, trouble });
    // A limit holds for all that would come after.
    if (trouble instanceof AuthorityLimit) break;
  }
  return results;
}

/** What was tried, at which authority, and until when it wants to be left alone. */
async function writeDown(
  { site, now, say }: ObtainInput,
  { shown }: Authority,
  certificate: string,
  trouble: Trouble | null,
): Promise<void> {
  const notBefore = trouble instanceof AuthorityLimit ? trouble.notBefore.toISOString() : null;
  const tried = { at: now().toISOString(), certificate, authority: shown, trouble: trouble?.code ?? null, notBefore };
  const unwritten = await writeAttempt(site.paths.acme, tried);
  if (unwritten !== null) say(`  this try could not be written down: ${unwritten}\n`);
}

function noAuthority(): Trouble {
  return new Trouble({
    code: 'acme-missing',
    message: 'The map has no authority to get certificates from.',
    remedy: 'Add to the map: `acme: {directory: production}`. Mile Marker tries the staging authority first.',
    exitCode: 2,
  });
}

/**
 * The certificates that were asked for, or all that are to come from the authority.
 *
 * @throws Trouble when what was asked for comes from none
 */
export function fromAuthority({ map, plan }: Site, named: readonly PlannedCertificate[]): PlannedCertificate[] {
  const own = plan.certificates.filter(({ from }) => from === 'acme');
  const [stray] =
    named.length > 0 ? named.filter(({ from }) => from !== 'acme') : own.length > 0 ? [] : plan.certificates;
  if (stray === undefined) return named.length > 0 ? [...named] : own;
  if (map.acme === null) throw noAuthority();
  const other = stray.from === 'files' ? 'comes from your own files' : 'is for practice';
  throw new Trouble({
    code: 'not-from-authority',
    message: `The map says that the certificate \`${stray.id}\` ${other}, so it does not come from an authority.`,
    remedy: `To get it from the authority, write \`from: acme\` at \`${stray.id}\` under \`certificates\`.`,
    exitCode: 2,
  });
}

/** Nobody there is nobody there for all of them; a limit belongs to one try, and must be remembered. */
function onlyLimits(error: unknown): Trouble {
  if (error instanceof AuthorityLimit) return error;
  throw error;
}

/** The first time the way is proven where tries cost nothing; what fails there is not tried where they are counted. */
async function failedTrials(
  input: ObtainInput,
  past: readonly Attempted[],
  untried: readonly PlannedCertificate[],
  open: (from: Authority) => Promise<AcmeSession>,
): Promise<Map<string, Trouble>> {
  const failed = new Map<string, Trouble>();
  if (untried.length === 0) return failed;
  const authority = authorityFor('staging', null);
  const wait = askedToWait(past, authority.shown, input.now().getTime());
  let limit =
    wait === null ? null : new AuthorityLimit(authority.shown, 'it asked us to wait, and was not asked again.', wait);
  let session: AcmeSession | null = null;
  for (const planned of untried) {
    input.signal.throwIfAborted();
    if (limit === null) {
      input.say(`${planned.id}: trying ${authority.shown} first\n`);
      session ??= await open(authority);
      const trouble = await obtainOne({ ...input, planned, session, authority, trial: true }).catch(onlyLimits);
      if (trouble instanceof AuthorityLimit) limit = trouble;
      if (trouble !== null) {
        failed.set(planned.id, trouble);
        await writeDown(input, authority, planned.id, trouble);
      }
    } else failed.set(planned.id, limit);
  }
  return failed;
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

async function externalAccount(
  { id, key }: NonNullable<MapAcme['external']>,
  folder: string,
): Promise<{ id: string; key: string }> {
  const text = await readText({ path: resolve(folder, key), what: 'key of the external account' });
  return { id, key: text.trim() };
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
    const message = `${acme.contact} is a placeholder, which the authority would refuse.`;
    throw new Trouble({
      code: 'contact-placeholder',
      message,
      remedy: 'Write an address that you read under `acme.contact`, or remove it.',
      exitCode: 2,
    });
  }
  const name = certificates.flatMap(({ names }) => names).find((one) => made.test(one));
  if (name === undefined) return;
  const message = `${name} is not a name of the public DNS, so no public authority can issue for it.`;
  throw new Trouble({
    code: 'name-not-public',
    message,
    remedy: 'Use a domain that you own, or practice certificates: mile-marker certs make',
    exitCode: 2,
  });
}
