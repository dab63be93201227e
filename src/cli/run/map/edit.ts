import { findMap } from '../../../adapters/files/find-map.ts';
import { statePaths } from '../../../adapters/files/state-folder.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { sortFindings, type Finding } from '../../../core/findings/finding.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { editMap, editWidely, type Edit, type WideEdit } from '../../../use-cases/map/edit.ts';
import { judgeSite, loadSite, type Site } from '../../../use-cases/map/load.ts';
import { closeNow } from '../../../use-cases/live/close-now.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { previewInstall } from '../../../use-cases/live/preview-install.ts';
import { takesUpAtOnce } from '../../../use-cases/live/reload-front.ts';
import { askingWhatRuns, whileSlow } from '../../while-slow.ts';
import type { CommandContext, Io } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import type { OpenOptions } from '../../open-site.ts';
import { plural } from '../../print/style.ts';
import { formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { bringLive } from '../live/install-front.ts';

/** The site of an edit that `follow` brings live by itself; null where somebody has to. */
export type Followed = Site | null;

function followed(site: Site, { changed }: { changed: boolean }, needs: readonly Finding[]): boolean {
  return changed && site.isFollowed && needs.every(({ severity }) => severity !== 'error');
}

const done = { add: 'added', remove: 'removed', pause: 'paused', resume: 'resumed', set: 'set' } as const;

/** An addition as it was typed, which may lack what it needs. */
type Addition = Omit<Extract<Edit, { kind: 'add' }>, 'road'> & { road: string | null };

export async function runAdd(edit: Addition, options: OpenOptions, context: CommandContext): Promise<Followed> {
  const { road, ...rest } = edit;
  if (road === null || (edit.to === null) === (edit.redirect === null)) throw badAddition(edit);
  return runEdit({ ...rest, road }, options, context);
}

function badAddition({ road, to }: Addition): Trouble {
  const lead =
    to === null ? 'The target of the road is missing.' : 'A road leads to one place: a service or a redirect.';
  const message = road === null ? 'Name the road, and where it leads.' : lead;
  const name = road ?? 'NAME';
  return new Trouble({
    code: 'add-form',
    message,
    remedy: `Write: mile-marker add ${name} SERVICE:PORT, or: mile-marker add ${name} --redirect URL. What there is to add: mile-marker survey --add`,
    exitCode: 2,
  });
}

export interface SetOptions extends EditOptions {
  unset?: boolean;
  all?: boolean;
}

/** What stands at the top of a map and holds keys that can be set by their path. */
const topKeys = ['front', 'acme', 'dns', 'certificates', 'gates', 'pages', 'labels', 'machines', 'ports'];

/** One key of one road, of several, or of anything else by its path from the top of the map. */
export async function runSet(
  words: readonly string[],
  options: SetOptions,
  context: CommandContext,
): Promise<Followed> {
  const isUnset = options.unset === true;
  const [first = '', second = '', third] = words;
  const path = first.split('.');
  const isPath = path.length > 1 && topKeys.includes(path[0] ?? '');
  const wanted = (options.all === true || isPath ? 2 : 3) - (isUnset ? 1 : 0);
  if (words.length !== wanted) throw setForm(words, { isUnset, isPath, isAll: options.all === true });
  const value = isUnset ? null : (words[wanted - 1] ?? null);
  if (isPath) return runWideEdit({ kind: 'set-at', path, value }, options, context);
  if (options.all === true) return runWideEdit({ kind: 'set-many', roads: ['*'], key: first, value }, options, context);
  const roads = first.split(',').filter((one) => one !== '');
  if (roads.length > 1 || first.includes('*'))
    return runWideEdit({ kind: 'set-many', roads, key: second, value }, options, context);
  return runEdit({ kind: 'set', road: first, key: second, value: third ?? null }, options, context);
}

interface Form {
  isUnset: boolean;
  isPath: boolean;
  isAll: boolean;
}

function setForm(words: readonly string[], { isUnset, isPath, isAll }: Form): Trouble {
  const [first = 'nestcam', second = 'gate'] = words;
  const what = isPath ? first : isAll ? `--all ${first}` : `${first} ${second}`;
  const isMissing = words.length < (isPath || isAll ? 2 : 3);
  const message = isUnset
    ? words.length > 1 || isPath
      ? 'Give a value or --unset, not both.'
      : 'The key is missing.'
    : isMissing
      ? `The value of \`${isPath || isAll ? first : second}\` is missing.`
      : 'There are too many words. A list or a map as a value needs quotes.';
  const remedy = `Write: mile-marker set ${what} VALUE, or: mile-marker set ${what} --unset`;
  return new Trouble({ code: 'set-form', message, remedy, exitCode: 2 });
}

/** Edits several roads at once, or what is none of a road's, and says what the map needs then. */
async function runWideEdit(edit: WideEdit, options: EditOptions, context: CommandContext): Promise<Followed> {
  const { io, setCode } = context;
  const isInstalled = await takesUpAtOnce(
    { paths: statePaths(await findMap({ option: options.map, cwd: io.cwd, env: io.env })) },
    options.reload,
  );
  const result = await editWidely(options.map, edit, io);
  await sayMap(options.map, result.shownMap, io);
  if (result.findings.length > 0) {
    if (options.json === true)
      io.out(jsonDocument('edit', { ...wideDocument(edit, result), findings: result.findings }));
    else io.out(formatFindings(result.findings, { width: io.width, colour: io.colour.out }));
    io.err('\nThe map was not changed.\n');
    setCode(exit.badInput);
    return null;
  }
  const site = await whileSlow(askingWhatRuns, io, loadSite(options.map, io));
  const all = await findingsOf(site, io);
  const needs = sortFindings(
    all.filter(
      ({ rule, severity, roads }) =>
        (severity === 'error' && rule !== 'no-certificate') || roads.some((one) => result.roads.includes(one)),
    ),
  );
  if (options.json === true) io.out(jsonDocument('edit', { ...wideDocument(edit, result), findings: needs }));
  else {
    io.out(`${wideWords(edit, result)}\n`);
    if (needs.length > 0) io.out(`\n${formatFindings(needs, { width: io.width, colour: io.colour.out })}\n`);
  }
  const closes = edit.kind === 'set-many' && edit.key === 'gate';
  if (isInstalled && closes && result.changed && site.map !== null && (await areClosed(site, result.roads, context)))
    return null;
  if (site.map !== null && followed(site, result, needs)) return site;
  const live = site.map === null ? 'mile-marker check' : programOf(site.plan.front.proxy).words.goLive(site.plan.front);
  io.err(needs.length > 0 ? 'next: fix the findings above, then: mile-marker check\n' : `next: ${live}\n`);
  return null;
}

function wideDocument(
  edit: WideEdit,
  { shownMap, roads, changed }: { shownMap: string; roads: string[]; changed: boolean },
): Record<string, unknown> {
  return { map: shownMap, key: edit.kind === 'set-at' ? edit.path.join('.') : edit.key, roads, changed };
}

function wideWords(edit: WideEdit, { roads, changed }: { roads: string[]; changed: boolean }): string {
  const key = edit.kind === 'set-at' ? edit.path.join('.') : edit.key;
  const said = edit.value === null ? `no \`${key}\`` : `${key}: ${edit.value}`;
  const who = edit.kind === 'set-at' ? 'The map' : plural(roads.length, 'road');
  const verb = edit.kind === 'set-at' || roads.length === 1 ? 'says' : 'say';
  return changed ? `${who} now ${verb} ${said}` : `${who} already ${verb} ${said}`;
}

/** Brings live at once what narrower gates of several roads close. @returns whether there is nothing left to say */
async function areClosed(site: Site, roads: readonly string[], { io }: CommandContext): Promise<boolean> {
  const world = { env: io.env, now: io.now, signal: io.signal };
  const ended = await closeNow({
    ...world,
    site,
    cwd: io.cwd,
    only: [...roads],
    onStep: (words) => io.progress(words),
  }).finally(() => io.progress(''));
  if (ended.end !== 'closed') return false;
  const more = ended.moreWaits
    ? 'Other changes on the map are not live yet.\nnext: mile-marker install\n'
    : 'next: mile-marker verify\n';
  io.err(`Only the new gates are live now (edition ${editionNumber(ended.edition)} is live).\n${more}`);
  return true;
}

export interface EditOptions extends OpenOptions {
  /** Pause, resume, set: false leaves the front as it is. */
  reload?: boolean | null;
}

/** Edits the map, and says what the road still needs and what its visitors get now. */
export async function runEdit(edit: Edit, options: EditOptions, context: CommandContext): Promise<Followed> {
  const { io, setCode } = context;
  const isInstalled = await isToGoLive(edit, options, io);
  // What opens goes live with all that the map says, and only where that is this one change.
  const isAlone = edit.kind === 'resume' && isInstalled && (await nothingElseWaits(options, io));
  const result = await editMap(options.map, edit, io);
  await sayMap(options.map, result.shownMap, io);
  if (result.findings.length > 0) {
    if (options.json === true) io.out(jsonDocument('edit', documentOf(result, result.findings)));
    else io.out(formatFindings(result.findings, { width: io.width, colour: io.colour.out }));
    io.err('\nThe map was not changed.\n');
    setCode(exit.badInput);
    return null;
  }
  const site = await whileSlow(askingWhatRuns, io, loadSite(options.map, io));
  // What a road that is new still needs; whoever pauses one has seen it before.
  const isNews = edit.kind === 'add' || edit.kind === 'set';
  const goesLive = isAlone && result.changed && site.map !== null;
  const all = isNews || goesLive ? await findingsOf(site, io) : [];
  const needs = isNews ? sortFindings(all.filter(({ roads }) => roads.includes(result.road))) : [];
  if (options.json === true) io.out(jsonDocument('edit', documentOf(result, needs)));
  else {
    io.out(`${resultWords(edit, result)}\n`);
    if (needs.length > 0) io.out(`\n${formatFindings(needs, { width: io.width, colour: io.colour.out })}\n`);
  }
  if (goesLive) {
    await bringLive(site, all, context);
    return null;
  }
  if (isInstalled && edit.kind === 'resume' && result.changed) {
    saysWaits(result.road, context);
    return null;
  }
  if (isInstalled && mayClose(edit) && site.map !== null && (await isClosed(site, { ...result, edit }, context)))
    return null;
  if (site.map !== null && followed(site, result, needs)) return site;
  const live = site.map === null ? 'mile-marker check' : programOf(site.plan.front.proxy).words.goLive(site.plan.front);
  if (options.reload === false && result.changed) io.err(`Only the map was changed. Visitors notice nothing yet.\n`);
  io.err(needs.length > 0 ? 'next: fix the findings above, then: mile-marker check\n' : `next: ${live}\n`);
  return null;
}

/** Whether an installation stands, which takes up what closes or opens. */
async function isToGoLive(edit: Edit, { map, reload }: EditOptions, io: Io): Promise<boolean> {
  if (edit.kind === 'add' || edit.kind === 'remove') return false;
  const paths = statePaths(await findMap({ option: map, cwd: io.cwd, env: io.env }));
  return takesUpAtOnce({ paths }, reload);
}

function mayClose(edit: Edit): boolean {
  return edit.kind === 'pause' || (edit.kind === 'set' && edit.key === 'gate');
}

function saysWaits(road: string, { io, setCode }: CommandContext): void {
  io.err(
    `${road} stays paused for visitors: a resumed road goes live together with the other changes on the map.\nnext: mile-marker install\n`,
  );
  setCode(exit.foundWrong);
}

/** Brings live at once what an edit closes. @returns whether there is nothing left to say */
async function isClosed(
  site: Site,
  { road, edit }: { road: string; edit: Edit },
  { io }: CommandContext,
): Promise<boolean> {
  const world = { env: io.env, now: io.now, signal: io.signal };
  const ended = await closeNow({ ...world, site, cwd: io.cwd, only: [road], onStep: (words) => io.progress(words) })
    .catch((error: unknown) => {
      throw error instanceof Trouble ? stillOpen(road, error) : error;
    })
    .finally(() => io.progress(''));
  // A gate that is opened, or changed some other way, goes the ordinary way.
  if (ended.end !== 'closed' && edit.kind === 'set') return false;
  if (ended.end === 'unknown') throw stillOpen(road, null);
  const number = ended.end === 'closed' ? `edition ${editionNumber(ended.edition)} is live` : 'as before';
  const get = edit.kind === 'pause' ? `Visitors of ${road} get 503 now` : `Only the new gate of ${road} counts now`;
  const more = ended.moreWaits ? 'Other changes on the map are not live yet.\nnext: mile-marker install\n' : '';
  const again =
    edit.kind === 'pause' ? `next: to open it again: mile-marker resume ${road}\n` : 'next: mile-marker verify\n';
  io.err(`${get} (${number}).\n${more === '' ? again : more}`);
  return true;
}

function stillOpen(road: string, cause: Trouble | null): Trouble {
  return new Trouble({
    code: 'not-closed',
    message: `The map is changed, but visitors still get ${road} as before: ${cause?.message ?? 'the live edition is too old to be changed in part.'}`,
    remedy: cause?.remedy ?? 'Make the whole map live: mile-marker install',
    ...(cause === null ? {} : { exitCode: cause.exitCode, cause }),
  });
}

async function findingsOf(site: Awaited<ReturnType<typeof loadSite>>, { now, env }: Io): Promise<Finding[]> {
  return site.map === null ? site.findings : judgeSite(site, { now: now(), env });
}

/** Whether the front runs all that the map says: only then is the one change all that would go live with it. */
async function nothingElseWaits({ map }: EditOptions, io: Io): Promise<boolean> {
  const site = await whileSlow(askingWhatRuns, io, loadSite(map, io));
  if (site.map === null) return false;
  const preview = await previewInstall({ site, cwd: io.cwd, env: io.env, now: io.now, signal: io.signal }).catch(
    (error: unknown) => {
      // Whatever keeps it from going live keeps nobody from editing the map.
      if (error instanceof Trouble) return null;
      throw error;
    },
  );
  return preview?.isLive === true;
}

function resultWords(edit: Edit, { road, changed }: { road: string; changed: boolean }): string {
  if (edit.kind === 'resume' && !changed) return `${road} was not paused`;
  if (edit.kind !== 'set') return changed ? `${done[edit.kind]} ${road}` : `${road} is already ${done[edit.kind]}`;
  const said = edit.value === null ? `no \`${edit.key}\`` : `${edit.key}: ${edit.value}`;
  return changed ? `${road} now says ${said}` : `${road} already says ${said}`;
}

function documentOf(
  { shownMap, road, changed }: { shownMap: string; road: string; changed: boolean },
  findings: readonly Finding[],
): Record<string, unknown> {
  return { map: shownMap, road, changed, findings };
}
