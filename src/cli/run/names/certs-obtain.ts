import { readAttempts } from '../../../adapters/acme/kept.ts';
import { readCurrent } from '../../../adapters/files/editions.ts';
import { runThen } from '../../../adapters/certificates/exports.ts';
import { makePractice } from '../../../adapters/certificates/practice.ts';
import { parseEndpoint } from '../../../adapters/probe/look-up.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { issuers, restsAfterFailure, type Attempted } from '../../../core/certificates/attempts.ts';
import { renewAt, type SuggestedWindow } from '../../../core/certificates/renewal.ts';
import type { HeldCertificate } from '../../../core/certificates/cover.ts';
import type { PlannedCertificate } from '../../../core/plan/plan.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { realOne } from '../../../core/certificates/lack.ts';
import { lackIn } from '../../../core/rules/names/no-certificate.ts';
import { plannedNamed, refreshExports } from '../../../use-cases/certificates/keep-certificates.ts';
import { readHeld, type Site } from '../../../use-cases/map/load.ts';
import { freshenRemoved } from '../../../use-cases/map/devices.ts';
import { reloadFront, takesUpAtOnce } from '../../../use-cases/live/reload-front.ts';
import { followFiles } from '../../../use-cases/certificates/follow-files.ts';
import { tidyUp } from '../../../use-cases/certificates/obtain-one.ts';
import { fromAuthority, obtain, suggestedWindows, type Obtained } from '../../../use-cases/certificates/obtain.ts';
import type { CommandContext } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, wrap } from '../../print/style.ts';

export interface ObtainOptions extends OpenOptions {
  resolver?: string;
  wait: number;
  dryRun?: boolean;
  then?: string[];
  reload?: boolean | null;
}

export async function runCertsObtain(ids: string[], options: ObtainOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'certs-obtain');
  if (site === null) return;
  const named = ids.map((id) => plannedNamed(site.plan, id));
  const ofAuthority = fromAuthority(site, named);
  const lacks = lackingIn(site, await readAttempts(site.paths.acme), context.io.now().getTime());
  const wanted = ofAuthority.filter((planned) => ids.length > 0 || lacks(planned));
  await getThem({
    site,
    wanted,
    made: [],
    options,
    context,
    nothing: 'Nothing is missing: all certificates of the authority are stored and valid.\n',
  });
}

/** Renews what is due. Practice certificates are made anew, others asked for; what a person brings is theirs to renew. */
export async function runCertsRenew(ids: string[], options: ObtainOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs-renew');
  if (site === null) return;
  const now = io.now().getTime();
  const held = readHeld(site.plan);
  const past = await readAttempts(site.paths.acme);
  const lacks = lackingIn(site, past, now);
  const named = ids.map((id) => plannedNamed(site.plan, id));
  const holding = site.plan.certificates.filter(({ id }) => realOne(held.get(id)) !== null);
  const windows = named.length > 0 ? new Map<string, null>() : await suggestedWindows(site, holding);
  const due =
    named.length > 0
      ? named
      : site.plan.certificates.filter(
          (planned) => lacks(planned) || isDue(held.get(planned.id) ?? null, windows.get(planned.id) ?? null, now),
        );
  const wanted = due.filter(
    ({ from, id }) => from === 'acme' && (named.length > 0 || !restsAfterFailure(past, id, now)),
  );
  const practice = due.filter(({ from }) => from === 'practice');
  if (options.dryRun === true) {
    if (options.json === true) io.out(jsonDocument('certs-renew', { map: site.mapFile, due: due.map(({ id }) => id) }));
    else
      for (const { id, from } of due) io.out(`${id}: ${from === 'files' ? 'due, and to be renewed by you' : 'due'}\n`);
    io.err(`${plural(due.length, 'certificate')} due. Nothing was done.\n`);
    return;
  }
  const made = await makePractice({ paths: site.paths, certificates: practice, now: io.now() });
  for (const { certificate } of made) await refreshExports(certificate);
  const files = await followFiles(site, io.now());
  for (const { id, trouble } of files.troubles)
    io.err(
      wrap(`${id}: what lies where the map says was not taken over: ${trouble.message} ${trouble.remedy}`, {
        width: io.width,
      }),
    );
  if (files.troubles.length > 0) context.setCode(exit.cannotJudge);
  await getThem({
    site,
    wanted,
    made: [...made.filter((one) => one.made).map(({ certificate }) => certificate.id), ...files.taken],
    options,
    context,
    nothing: 'Nothing is due.\n',
  });
}

/** Whether what is stored is not what the map wants, however long it lasts. */
function lackingIn(
  { plan, map }: Site,
  past: readonly Attempted[],
  now: number,
): (planned: PlannedCertificate) => boolean {
  const facts = { certificates: readHeld(plan), issuedBy: issuers(past), map, now };
  return (planned) => lackIn(facts, planned) !== null;
}

function isDue(held: HeldCertificate | null, suggested: SuggestedWindow | null, now: number): boolean {
  return held === null || now >= renewAt(held, suggested);
}

interface GetInput {
  site: Site;
  wanted: readonly PlannedCertificate[];
  /** Certificates that were made anew already. */
  made: string[];
  options: ObtainOptions;
  context: CommandContext;
  /** What to say when there is nothing to do. */
  nothing: string;
}

async function getThem({ site, wanted, made, options, context, nothing }: GetInput): Promise<void> {
  const { io, setCode } = context;
  const resolver = options.resolver === undefined ? null : parseEndpoint(options.resolver, 53, '--resolver');
  const { now, signal, err: say, ask } = io;
  await tidyUp(
    { site, resolver, patienceMs: options.wait, say, now, signal, ask },
    new Set(wanted.map(({ id }) => id)),
  );
  const results =
    wanted.length === 0
      ? []
      : await obtain({ site, certificates: wanted, resolver, patienceMs: options.wait, say, now, signal, ask });
  const fresh = [...made, ...results.filter(({ trouble }) => trouble === null).map(({ id }) => id)];
  // A certificate that is here is taken up whatever is wrong with the devices.
  const relisted = await freshenRemoved({ paths: site.paths, now: io.now() }).catch((error: unknown) => {
    if (!(error instanceof Trouble)) throw error;
    io.err(`The list of removed devices was not made new: ${error.message}\n  do: ${error.remedy}\n`);
    setCode(exit.cannotJudge);
    return false;
  });
  const reloads = (fresh.length > 0 || relisted) && (await takesUpAtOnce(site, options.reload));
  if (reloads) await reloadFront(site, io.env);
  if (fresh.length > 0 && options.then !== undefined) await runThen(options.then);
  const failed = results.filter(({ trouble }) => trouble !== null);
  if (options.json === true) {
    const told = failed.map(({ id, trouble }) => ({
      id,
      code: trouble?.code,
      message: trouble?.message,
      remedy: trouble?.remedy,
    }));
    io.out(jsonDocument('certs-obtain', { map: site.mapFile, held: fresh, failed: told }));
  } else {
    for (const id of fresh) io.out(`certificate \`${id}\`: stored\n`);
    for (const one of failed) io.out(await failureWords(one, site, io.width));
  }
  if (failed.length > 0) setCode(exit.cannotJudge);
  if (relisted) io.err('Wrote a new list of removed devices.\n');
  if (fresh.length + failed.length === 0)
    io.err(
      relisted && !reloads
        ? `next: ${programOf(site.plan.front.proxy).words.reload(site.plan.front)}\n`
        : relisted
          ? ''
          : nothing,
    );
  else io.err(await endWords(site, failed.length, options.then !== undefined || reloads));
}

/** A failure leaves the old certificate in use; when that ends is what a person must know. */
async function failureWords({ id, trouble }: Obtained, { plan }: Site, width: number): Promise<string> {
  const held = realOne(readHeld(plan).get(id));
  const until =
    held === null
      ? 'There is no certificate in use.'
      : `The one in use is valid until ${new Date(held.notAfter).toISOString().slice(0, 10)}.`;
  return (
    `${id} failed\n${wrap(`${trouble?.message ?? ''} ${until}`, { width, first: '    ' })}` +
    wrap(trouble?.remedy ?? '', { width, first: '    do: ', indent: '        ' })
  );
}

async function endWords({ plan, paths }: Site, failed: number, told: boolean): Promise<string> {
  if (failed > 0) return 'next: fix what failed above, then run this again\n';
  const { words } = programOf(plan.front.proxy);
  // No front shows what was never written. What is wrong with what was is no reason to say that the certificate is not there.
  if ((await readCurrent(paths.front).catch(() => undefined)) === null) return `next: ${words.first(plan.front)}\n`;
  if (told || programOf(plan.front.proxy).limits.readsCertificatesAnew)
    return 'The front shows it from the next connection on.\nnext: mile-marker verify\n';
  return `next: ${words.reload(plan.front)}\nthen: mile-marker verify\n`;
}
