import {
  editionsIn,
  noteFront,
  readCurrent,
  readEdition,
  readFrontJournal,
  readLink,
  removeEdition,
  switchEdition,
  shortenFrontJournal,
  type Edition,
} from '../../adapters/files/editions.ts';
import type { Place } from '../../adapters/proxies/adapter.ts';
import { exit, Trouble } from '../../adapters/trouble.ts';
import { asDialled } from '../../core/live/as-dialled.ts';
import { spareEditions } from '../../core/live/front-journal.ts';
import type { MadeFile, Replaced } from '../../core/live/entries.ts';
import { madeWorse, type TestedFront, type Worse } from '../../core/live/made-worse.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import { begin, carryOut, takeBack } from './carry-out.ts';
import { leftOf, type Change } from './change.ts';
import { clearKept, includeText, toOldDisk } from './disk.ts';
import { liveWords, runnerOf, type World } from './front-moves.ts';
import { comesBackWith, entryOf, needsWith } from './needs.ts';
import { composeOf } from './preview-install.ts';
import { keepAll, type SwitchedOff } from './replace.ts';
import { tryChange } from './try-change.ts';
import { placeOf, planOf, runs, whatRunsNoted, type Truth } from './what-runs.ts';
import { backWords } from './back-words.ts';
import { writeFiles, type WriteResult } from './write.ts';

/** @property test tests every road of a plan at the front itself */
interface InstallInput extends World {
  site: Site;
  cwd: string;
  test: (plan: Plan) => Promise<TestedFront>;
  /** How many of the newest editions stay. */
  keep: number;
  /** Files made by hand, with what is in the way switched off. */
  switched: readonly SwitchedOff[];
  onStep: (words: string) => void;
  /** The proxy is known to read our files, from an installation before by whoever calls this. */
  isRead?: boolean;
}

/**
 * How it ended. `same`: the front runs it already. `live`: it runs the new edition, with what is wrong (and was so before). `back`: the one before
 * runs again, since the new one made these roads worse.
 */
export type Installed =
  | { end: 'same'; edition: number }
  | { end: 'live'; edition: number; from: number | null; after: TestedFront; include: string | null }
  | { end: 'back'; edition: number; from: number | null; worse: Worse[] };

/**
 * Brings the map live: writes it, has the proxies test it beside all that they read, carries the change out, tests the roads, and takes all of it back when a
 * road that was right is not any more.
 *
 * @throws Trouble `proxy-refuses` and `install-went-back`, with what is live now
 */
export async function installFront(input: InstallInput): Promise<Installed> {
  const { site, cwd, now, onStep } = input;
  const truth = await whatRunsNoted(site, input);
  const place = placeOf(site);
  const compose = await composeOf(input, false);
  const from = truth.live === null ? null : await readEdition(place.folder, truth.live.edition).catch(() => null);
  const before = from === null || !runs(truth, from) ? null : await testedAs(input, from);
  const above = truth.foreign ?? 0;
  const written = await writeFiles({ site, out: undefined, cwd, now: now(), dry: false, onlyPrepare: true, above });
  const to = await readEdition(place.folder, written.edition);
  // A link that leads nowhere keeps the server from accepting anything.
  if (await leadsNowhere(place.folder)) await switchEdition(place.folder, to, now().toISOString());
  const restores = comesBackWith(place, truth.state.replaced);
  const reads = await placeBefore(input, restores);
  const isThere = runs(truth, to) && reads.how === 'read' && compose?.changed !== true && !written.written;
  const isOnLink = (await readLink(place.folder)) === to.number;
  if (isThere && isOnLink && input.switched.length === 0) return { end: 'same', edition: to.number };
  const change = await changeFor({ input, truth, reads, to, written });
  onStep(`having ${programOf(place.proxy).title} test edition ${editionNumber(to.number)}`);
  await begin(change, input);
  const isTested = await assertAccepted(change, input);
  onStep(`bringing edition ${editionNumber(to.number)} live`);
  const { makes, removes, replaces, restores: back } = change;
  const isMoved = makes.length + removes.length + replaces.length + back.length > 0;
  const problem = await carryOut(change, input, { isTested, isMoved });
  if (problem !== null)
    throw await wentBack(change, input, `${programOf(place.proxy).title} did not load it: ${problem}`);
  onStep('testing every road');
  const after = await input.test(site.plan);
  // What was not tested to its end says nothing, neither good nor bad.
  if (input.signal.aborted) throw interrupted(to.number);
  const worse = madeWorse(before, after);
  if (worse.length > 0) {
    const why = worse.map(({ because }) => because.message)[0] ?? '';
    const back = await takeBack(change, why, input);
    if (back.stuck !== null || back.silent !== null) throw backWords({ change, why, back });
    return { end: 'back', edition: to.number, from: change.from?.edition ?? null, worse };
  }
  await noteFront(place.folder, { event: 'confirmed', at: now().toISOString(), edition: to.number, tested: true });
  await clearKept(change.restores, place.folder);
  await clearSpare(input, to.number);
  const include = change.makes[0]?.path ?? null;
  return { end: 'live', edition: to.number, from: change.from?.edition ?? null, after, include };
}

async function leadsNowhere(folder: string): Promise<boolean> {
  return (await readLink(folder)) !== null && (await readCurrent(folder)) === null;
}

/** How the proxy is told of our files. */
async function placeBefore({ site, env, isRead }: InstallInput, restores: readonly Replaced[]): Promise<Place> {
  if (isRead === true) return { how: 'read' };
  const { program, installed } = await runnerOf(placeOf(site), env);
  return installed.placeFor(program, entryOf(placeOf(site)), await needsWith(site, restores));
}

interface ChangeInput {
  input: InstallInput;
  truth: Truth;
  reads: Place;
  to: Edition;
  written: WriteResult;
}

async function changeFor({ input, truth, reads, to, written }: ChangeInput): Promise<Change> {
  const place = placeOf(input.site);
  const { program, installed } = await runnerOf(place, input.env);
  const left = truth.live === null ? null : leftOf(truth.place, place, place);
  const made: MadeFile = {
    path: reads.how === 'file' ? reads.path : '',
    content: includeText(written.includeLine?.line ?? ''),
    proxy: place.proxy,
  };
  return {
    from: truth.live,
    to,
    place,
    left,
    was: {
      answered: truth.live !== null && truth.said !== null && truth.foreign === null,
      ran: await installed.runs(program),
      current: await currentBefore(place.folder, truth),
    },
    makes: reads.how === 'file' ? [made] : [],
    removes: left === null ? [] : truth.state.made.filter(({ proxy }) => proxy === left.proxy && proxy !== place.proxy),
    replaces: await keepAll(input.switched, place.folder),
    restores: comesBackWith(place, truth.state.replaced),
    keepsLink: false,
  };
}

/** What is live is what a start from the disk is to serve, too; where that is gone, or nothing is live, what lies there. */
async function currentBefore(folder: string, { live }: Truth): Promise<number | null> {
  const there = live === null ? null : await readEdition(folder, live.edition).catch(() => null);
  return there?.number ?? readLink(folder);
}

async function clearSpare({ site, keep }: InstallInput, current: number): Promise<void> {
  const { folder } = placeOf(site);
  const spare = spareEditions(await readFrontJournal(folder), await editionsIn(folder), { current, keep });
  for (const edition of spare) await removeEdition(folder, edition);
  await shortenFrontJournal(folder);
}

/** By what its own edition was meant to do: by the new map what runs now may look wrong. */
async function testedAs({ test, onStep }: InstallInput, { files }: Edition): Promise<TestedFront | null> {
  const plan = planOf(files);
  onStep('testing what runs now');
  return plan === null ? null : test(asDialled(plan));
}

function interrupted(to: number): Trouble {
  return new Trouble({
    code: 'install-interrupted',
    message: `Interrupted before every road was tested. The front may run edition ${editionNumber(to)} already.`,
    remedy: 'To finish it: mile-marker install',
    exitCode: exit.interrupted,
  });
}

async function wentBack(change: Change, world: World, why: string): Promise<Trouble> {
  return backWords({ change, why, back: await takeBack(change, why, world) });
}

/** The server's own words on the new edition, before anything that runs sees it. @returns whether it was tested beside all else that it reads */
async function assertAccepted(change: Change, world: World): Promise<boolean> {
  const { place, from, to } = change;
  const tried = await tryChange(change, world);
  if (tried.passed || tried.untested === true) return tried.passed;
  const why = tried.output;
  const edition = to?.number ?? 0;
  await toOldDisk(change, world);
  await noteFront(place.folder, { event: 'refused', at: world.now().toISOString(), edition, why });
  await clearKept(change.replaces, place.folder);
  throw new Trouble({
    code: 'proxy-refuses',
    message: `${programOf(place.proxy).title} does not accept edition ${editionNumber(edition)}: ${why}. Live now: ${liveWords(from?.edition ?? null)}, as before.`,
    remedy:
      'The front is unchanged. If the error names one of your own files, fix that file. If it names one below .mile-marker, please report this.',
  });
}
