import { setMaxListeners } from 'node:events';
import { resolve } from 'node:path';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import type { Finding } from '../../../core/findings/finding.ts';
import { worstOf, type TestedFront } from '../../../core/live/made-worse.ts';
import { inUrl } from '../../../core/networks/address.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { readAnew } from '../../../use-cases/live/front-moves.ts';
import { closeNow, closesWhat } from '../../../use-cases/live/close-now.ts';
import { installFront, type Installed } from '../../../use-cases/live/install-front.ts';
import { movingOf } from '../../../use-cases/live/moving.ts';
import { previewInstall, type Prepared } from '../../../use-cases/live/preview-install.ts';
import type { SwitchedOff } from '../../../use-cases/live/replace.ts';
import { placeOf, type Truth } from '../../../use-cases/live/what-runs.ts';
import { judgeSite, type Site } from '../../../use-cases/map/load.ts';
import { rehearse } from '../../../use-cases/rehearsal/rehearse.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { countFindings, countsInWords, formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { movingWords } from '../../print/moving.ts';
import { plural, wrap } from '../../print/style.ts';
import { countsOf, endWords, nextWrong, rehearsalAsJson, rehearsalWords } from './rehearse.ts';
import { installDocument, nothingWorks, reportInstalled } from './install-report.ts';
import { testRoads } from '../verify/verify-run.ts';
import { printChanges } from './write.ts';

export interface InstallFrontOptions extends OpenOptions {
  yes?: boolean;
  dryRun?: boolean;
  despite?: string[];
  /** Files made by hand in which what is in the way is switched off. */
  replace?: string[];
  /** How many of the newest editions stay. */
  keepEditions: number;
  /** Only what closes, on the edition that runs. */
  closing?: boolean;
  /** False: without a rehearsal before it. */
  rehearsal?: boolean;
}

/** Shows the difference, asks, brings it live, and says what is live now and how to go back. */
export async function runInstallFront(options: InstallFrontOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'install');
  if (site === null) return;
  if (options.closing === true) return runClosing(site, options, context);
  const replace = (options.replace ?? []).map((file) => resolve(io.cwd, file));
  const findings = await judgeSite(site, { now: io.now(), env: io.env, replaced: replace });
  const moving = await movingOf(site);
  if (moving !== null && options.json !== true) io.err(movingWords(moving, io.width));
  const blocking = blockingOf(findings, options.despite ?? []);
  if (blocking.length > 0) {
    refuse(site, blocking, options, io);
    setCode(exit.foundWrong);
    return;
  }
  // Every step on the network listens for Ctrl-C.
  setMaxListeners(0, io.signal);
  const world = { env: io.env, now: io.now, signal: io.signal };
  const preview = await previewInstall({ ...world, site, cwd: io.cwd, replace });
  const isSame = preview.isLive && replace.length === 0;
  if (options.json !== true && !(isSame && options.dryRun !== true)) {
    printPreview(preview, site.plan, io);
    for (const path of replace) io.out(`changed ${path} (conflicting servers commented out)\n`);
  }
  if (options.dryRun === true) {
    if (options.json === true) io.out(installDocument(site, preview, null, moving));
    io.err('Nothing was changed.\nnext: mile-marker install\n');
    return;
  }
  if (isSame) {
    await readAnew(placeOf(site), world);
    const { title } = programOf(site.plan.front.proxy);
    if (options.json === true)
      io.out(installDocument(site, preview, { end: 'same', edition: preview.edition }, moving));
    io.err(
      `Edition ${editionNumber(preview.edition)} is live already. ${title} has reloaded certificates and password files.\nnext: mile-marker verify\n`,
    );
    return;
  }
  if (!(await agreed('Make this live?', options, io))) {
    io.err('Nothing was changed.\n');
    return;
  }
  if (options.rehearsal !== false && !(await isAsMeant(site, preview, options, io))) {
    setCode(exit.foundWrong);
    return;
  }
  const { switched } = preview;
  const result = await install(site, { keepEditions: options.keepEditions, switched }, io);
  if (options.json === true) io.out(installDocument(site, preview, result, moving));
  reportInstalled(result, site, options, io);
  if (result.end === 'live' && options.proxy !== undefined)
    io.err(`      to keep this proxy, write in the map: proxy: ${options.proxy}\n`);
  if (result.end === 'back' || nothingWorks(result, site.plan)) setCode(exit.foundWrong);
}

/** What closes needs no rehearsal and no question, and waits for nothing that the map holds back. */
async function runClosing(site: Site, { json, dryRun }: InstallFrontOptions, { io }: CommandContext): Promise<void> {
  const world = { env: io.env, now: io.now, signal: io.signal };
  const input = { ...world, site, cwd: io.cwd, only: null, onStep: (words: string) => io.progress(words) };
  if (dryRun === true) {
    const closed = await closesWhat(input);
    if (json === true) io.out(jsonDocument('install', { map: site.mapFile, end: 'not-yet', closed, findings: [] }));
    else for (const one of closed) io.out(`${closedWords[one.how]} ${one.road}\n`);
    io.err('Nothing was changed.\nnext: mile-marker install --closing\n');
    return;
  }
  setMaxListeners(0, io.signal);
  const ended = await closeNow(input).finally(() => io.progress(''));
  const closed = ended.end === 'closed' ? ended.closed : [];
  if (json === true) {
    const edition = ended.end === 'closed' ? { edition: ended.edition } : {};
    io.out(
      jsonDocument('install', {
        map: site.mapFile,
        end: ended.end === 'closed' ? 'live' : 'same',
        ...edition,
        closed,
        findings: [],
      }),
    );
  } else for (const one of closed) io.out(`${closedWords[one.how]} ${one.road}\n`);
  const says = {
    closed: ended.end === 'closed' ? `Edition ${editionNumber(ended.edition)} is live.` : '',
    nothing: 'Everything that closes is live already. Nothing was changed.',
    unknown: 'Nothing of this map is live, so there is nothing to close. Nothing was changed.',
  };
  const next = ended.moreWaits
    ? 'Other changes on the map are not live yet.\nnext: mile-marker install\n'
    : 'next: mile-marker verify\n';
  io.err(`${says[ended.end]}\n${next}`);
}

const closedWords = { paused: 'paused  ', gone: 'removed ', gate: 'narrowed' } as const;

/** Rehearses what is to go live. One that came to no end is said so, and does not stop what the proxy and the roads are tested for anyway. */
async function isAsMeant(site: Site, preview: Prepared, { json }: OpenOptions, io: Io): Promise<boolean> {
  io.progress('rehearsing');
  const rehearsed = await rehearse({
    ...{ site, edition: preview.written, env: io.env, now: io.now, signal: io.signal },
    onLoopback: false,
  })
    .catch((error: unknown) => {
      if (!(error instanceof Trouble) || io.signal.aborted) throw error;
      io.err(wrap(`Not rehearsed: ${error.message}`, io));
      return null;
    })
    .finally(() => io.progress(''));
  if (rehearsed === null) return true;
  if (countsOf(rehearsed).went === 0) {
    io.err(endWords(rehearsed, site, io));
    return true;
  }
  const said = { map: site.mapFile, end: 'refused', findings: [], rehearsal: rehearsalAsJson(rehearsed, {}) };
  if (json === true) io.out(jsonDocument('install', said));
  else io.out(rehearsalWords(rehearsed, {}, io));
  io.err(endWords(rehearsed, site, io));
  io.err(`${nextWrong}      to install anyway: mile-marker install --no-rehearsal\n`);
  return false;
}

function install(
  site: Site,
  { keepEditions, switched }: { keepEditions: number; switched: readonly SwitchedOff[] },
  io: Io,
): Promise<Installed> {
  return installFront({
    ...{ site, cwd: io.cwd, env: io.env, now: io.now, signal: io.signal },
    test: (plan) => testOwn(site, plan, io),
    keep: keepEditions,
    switched,
    onStep: (words) => io.progress(words),
  }).finally(() => io.progress(''));
}

/**
 * Brings one small change live without a question, as a part of the command that made it.
 *
 * @param findings what `check` says of the map as it is now
 */
export async function bringLive(
  site: Site,
  findings: readonly Finding[],
  { io, setCode }: CommandContext,
): Promise<void> {
  const blocking = blockingOf(findings, []);
  if (blocking.length > 0) {
    io.err(`It is not live yet: ${countsInWords(countFindings(blocking))} on the map.\nnext: mile-marker install\n`);
    setCode(exit.foundWrong);
    return;
  }
  setMaxListeners(0, io.signal);
  const result = await install(site, { keepEditions: 10, switched: [] }, io);
  reportInstalled(result, site, { json: true }, io);
  if (result.end === 'back') setCode(exit.foundWrong);
}

/** A name without a certificate gets the throwaway one, so it stands in nobody's way. */
function blockingOf(findings: readonly Finding[], despite: readonly string[]): Finding[] {
  return findings.filter(
    ({ rule, severity }) => severity === 'error' && rule !== 'no-certificate' && !despite.includes(rule),
  );
}

function refuse(site: Site, blocking: Finding[], { json }: InstallFrontOptions, io: Io): void {
  const summary = countFindings(blocking);
  if (json === true) io.out(jsonDocument('install', { map: site.mapFile, end: 'refused', findings: blocking }));
  else io.out(formatFindings(blocking, { width: io.width, colour: io.colour.out }));
  const rules = [...new Set(blocking.map(({ rule }) => rule))];
  io.err(`\nNothing was changed: ${countsInWords(summary)}.\nnext: fix the errors, then: mile-marker install\n`);
  io.err(
    wrap(`      to install anyway: mile-marker install ${rules.map((rule) => `--despite ${rule}`).join(' ')}`, {
      width: io.width,
    }),
  );
}

/** Tests every road where the front itself listens: on this machine, or on each of its nodes. */
async function testOwn(site: Site, plan: Plan, io: Io): Promise<TestedFront> {
  const tested: TestedFront[] = [];
  for (const at of ownPlaces(site, plan))
    tested.push(await testRoads({ ...site, plan }, [], { at, timeout: 5000, parallel: 8, failOn: 'error' }, io));
  return worstOf(tested);
}

function ownPlaces({ inventory }: Site, plan: Plan): string[] {
  const { cluster, listen } = plan.front;
  if (cluster === null) return [ownPlace(plan)];
  return inventory.nodes
    .filter(({ name, state }) => cluster.nodes.includes(name) && state === 'ready')
    .map(({ address }) => `${inUrl(address)}:${String(listen.https)}`);
}

/** Where the front itself listens on this machine, whatever its names lead to. */
function ownPlace({ front: { listen } }: Plan): string {
  const [first = '127.0.0.1'] = listen.addresses;
  const address = first === '0.0.0.0' ? '127.0.0.1' : first === '::' ? '::1' : first;
  return `${inUrl(address)}:${String(listen.https)}`;
}

function printPreview({ changes, edition, truth, place, left }: Prepared, { front }: Plan, io: Io): void {
  const { title } = programOf(front.proxy);
  printChanges(changes, io);
  if (place.how === 'file') io.out(`new     ${place.path}, by which ${title} reads these files\n`);
  if (left !== null) io.out(`stops   ${programOf(left.proxy).title}, which serves this map now\n`);
  io.err(
    `${nowWords(truth, left === null ? title : programOf(left.proxy).title)} ${addsWords(changes.length, edition)}\n`,
  );
}

function addsWords(changes: number, edition: number): string {
  return changes === 0
    ? `To be made live: edition ${editionNumber(edition)}.`
    : `To be made live: edition ${editionNumber(edition)}, ${plural(changes, 'file')} changed.`;
}

/** What runs now, as far as it is known. */
function nowWords({ live, said, foreign }: Truth, title: string): string {
  if (foreign !== null)
    return `${title} runs edition ${editionNumber(foreign)}, which is not in this folder. Was the folder restored from a backup?`;
  if (live === null) return 'Nothing of this map is live yet.';
  return said === null
    ? `Edition ${editionNumber(live.edition)} was live last. ${title} does not answer now.`
    : `${title} runs edition ${editionNumber(live.edition)}.`;
}

export async function agreed(question: string, { yes }: { yes?: boolean }, io: Io): Promise<boolean> {
  if (yes === true) return true;
  if (io.ask !== null) return /^y(es)?$/i.test((await io.ask(`${question} [y/N] `)).trim());
  throw new Trouble({
    code: 'not-agreed',
    message: 'There is no terminal to ask on, so nothing was changed.',
    remedy: 'Check the difference above, then add --yes.',
    exitCode: exit.badInput,
  });
}
