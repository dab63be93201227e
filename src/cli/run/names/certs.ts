import { resolve } from 'node:path';
import { authorityFile, makePractice } from '../../../adapters/certificates/practice.ts';
import { leftBehind } from '../../../adapters/acme/kept.ts';
import { shownPath } from '../../../adapters/files/find-map.ts';
import { readText } from '../../../adapters/files/read-text.ts';
import { Trouble } from '../../../adapters/trouble.ts';
import {
  exportCertificate,
  importCertificate,
  plannedNamed,
  refreshExports,
} from '../../../use-cases/certificates/keep-certificates.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { groupedBy } from '../../../core/grouped-by.ts';
import { realOne } from '../../../core/certificates/lack.ts';
import { reloadFront, takesUpAtOnce } from '../../../use-cases/live/reload-front.ts';
import { readHeld, type Site } from '../../../use-cases/map/load.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { certificateRow, formatCertificates, type CertificateRow } from '../../print/certs.ts';
import { jsonDocument } from '../../print/json.ts';
import { withCertificates } from '../../print/next-certificate.ts';
import { plural, style, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';

export interface MakeOptions extends OpenOptions {
  /** Null: where an installation stands. */
  reload?: boolean | null;
}

export interface ImportOptions extends MakeOptions {
  as?: string;
  passwordFile?: string;
  evenSo?: boolean;
}

export interface ExportOptions extends OpenOptions {
  to: string;
  key?: string;
  then?: string[];
}

export async function runCertsList(options: OpenOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs');
  if (site === null) return;
  const rows = await certificateRows(site, io.now().getTime());
  if (options.json === true) {
    io.out(jsonDocument('certs', { map: site.mapFile, certificates: rows }));
    return;
  }
  const { published, ordered } = await leftBehind(site.paths.acme);
  if (rows.length > 0) io.out(formatCertificates(rows, { width: io.width, colour: io.colour.out }));
  const missing = rows.filter(({ to }) => to === null).length;
  io.err(`${plural(rows.length, 'certificate')}${missing > 0 ? `, ${String(missing)} missing` : ''}.\n`);
  for (const id of new Set([...published, ...ordered]))
    io.err(`A run for \`${id}\` was interrupted. To finish it: mile-marker certs renew\n`);
  io.err(missing > 0 ? 'next: mile-marker check (shows how to get the missing ones)\n' : 'next: mile-marker check\n');
}

async function certificateRows(site: Site, now: number): Promise<CertificateRow[]> {
  const { plan, chosenCertificates } = site;
  const held = readHeld(plan);
  const chosen = groupedBy([...chosenCertificates], ([, { id }]) => id);
  return plan.certificates.map((planned) => {
    const roads = (chosen.get(planned.id) ?? []).map(([road, { why }]) => ({ road, why }));
    return certificateRow({ planned, held: realOne(held.get(planned.id)), roads, now });
  });
}

export async function runCertsMake(options: MakeOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs');
  if (site === null) return;
  const { plan, paths } = site;
  const results = await makePractice({ paths, certificates: plan.certificates, now: io.now() });
  for (const { certificate, made } of results) if (made) await refreshExports(certificate);
  const isNew = results.some(({ made }) => made);
  const isLive = isNew && (await broughtLive(site, options, io));
  const held = readHeld(plan);
  const rows = results.map(({ certificate, made }) => ({
    names: certificate.names,
    ends: day(held.get(certificate.id)?.notAfter),
    made,
  }));
  const authority = authorityFile(paths);
  if (options.json === true) {
    io.out(jsonDocument('certs-make', { map: site.mapFile, authority, certificates: rows }));
    return;
  }
  const paint = style(io.colour.out);
  const head = ['covers', 'until', ''].map((word) => paint.bold(word));
  io.out(
    table(
      head,
      rows.map(({ names, ends, made }) => [names.join('\n'), ends, made ? 'made' : 'kept']),
    ),
  );
  const shown = shownPath(authority, io.cwd);
  io.err(
    `${isNew ? trustWords(shown, io.width) : `Practice authority: ${shown}\n`}${isLive ? isLiveWords : nextMade(site, held)}`,
  );
}

const isLiveWords = 'The front shows it from the next connection on.\nnext: mile-marker verify\n';

/** Has the front take up what is new, where it is to. */
async function broughtLive(site: Site, { reload }: MakeOptions, { env }: Io): Promise<boolean> {
  if (!(await takesUpAtOnce(site, reload))) return false;
  await reloadFront(site, env);
  return true;
}

/** How to trust the authority on the usual systems; nobody else should. */
function trustWords(authority: string, width: number): string {
  const words = `Practice authority: ${authority}. Import it where you test. Other people's browsers will warn.`;
  return `${wrap(words, { width })}  Debian, Ubuntu   copy it to /usr/local/share/ca-certificates/NAME.crt, run update-ca-certificates
  Fedora           trust anchor FILE
  macOS            open it in Keychain Access and choose "Always Trust"
  Windows          certutil -addstore Root FILE
  Firefox          Settings, Certificates, Authorities, Import
`;
}

/** When others are still missing that need no front, these come first. */
function nextMade(site: Site, held: ReturnType<typeof readHeld>): string {
  const missing = site.plan.certificates.filter(({ id }) => realOne(held.get(id)) === null);
  return missing.length === 0 ? nextLive(site) : withCertificates(missing, nextLive(site));
}

function nextLive({ plan }: Site): string {
  return `next: ${programOf(plan.front.proxy).words.first(plan.front)}\n`;
}

export async function runCertsImport(files: string[], options: ImportOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs');
  if (site === null) return;
  const password = (): Promise<string> => passwordFrom(options.passwordFile, io);
  const { id, names, found } = await importCertificate({
    site,
    files,
    as: options.as ?? null,
    cwd: io.cwd,
    evenSo: options.evenSo === true,
    now: io.now(),
    password,
  });
  const isLive = await broughtLive(site, options, io);
  if (options.json === true)
    io.out(jsonDocument('certs-import', { map: site.mapFile, certificate: id, covers: names }));
  else io.out(`certificate \`${id}\`: stored, covers ${names.join(', ')}\n`);
  if (found !== null) io.err(`The intermediate certificate was taken from ${shownPath(found, io.cwd)}.\n`);
  io.err(isLive ? isLiveWords : nextLive(site));
}

/** A password never stands on the command line, where every user of the machine can read it. */
async function passwordFrom(file: string | undefined, io: Io): Promise<string> {
  if (file !== undefined) {
    const text = await readText({ path: resolve(io.cwd, file), what: 'password file' });
    return text.split(/\r?\n/)[0] ?? '';
  }
  if (io.askSecret !== null) return io.askSecret('Password: ');
  const message = 'A password is needed, but there is no terminal to ask for it.';
  throw new Trouble({ code: 'password-needed', message, remedy: 'Give it with --password-file FILE.', exitCode: 2 });
}

export async function runCertsExport(id: string, options: ExportOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs');
  if (site === null) return;
  const planned = plannedNamed(site.plan, id);
  const key = options.key === undefined ? null : resolve(io.cwd, options.key);
  const wanted = { to: resolve(io.cwd, options.to), key, then: options.then ?? [] };
  await exportCertificate(planned, wanted);
  if (options.json === true) io.out(jsonDocument('certs-export', { map: site.mapFile, certificate: id, ...wanted }));
  else io.out(`${id} is copied to ${options.to}${key === null ? '' : ` and ${options.key ?? ''}`}\n`);
  io.err('It is copied again after each renewal.\nnext: have the other program read the copy\n');
}

function day(time: number | undefined): string {
  return time === undefined ? '' : new Date(time).toISOString().slice(0, 10);
}
