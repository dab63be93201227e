import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  editionFolder,
  noteFront,
  readCurrent,
  readEdition,
  switchEdition,
  type Edition,
  editionsIn,
  readFrontJournal,
  removeEdition,
  shortenFrontJournal,
} from '../../adapters/files/editions.ts';
import type { Place, Swap, Tried } from '../../adapters/proxies/adapter.ts';
import { exit, Trouble } from '../../adapters/trouble.ts';
import { asDialled } from '../../core/live/as-dialled.ts';
import { ownInclude, spareEditions } from '../../core/live/front-journal.ts';
import { madeWorse, type TestedFront, type Worse } from '../../core/live/made-worse.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { planPath, readPlan } from '../../core/proxies/builtin/renderer.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import {
  goBack,
  liveWords,
  makeInclude,
  moveTo,
  runnerOf,
  runningEdition,
  type FrontPlace,
  type World,
} from './front-moves.ts';
import { composeOf, entryOf, livePlaceOf, needsOf, placeOf, previewInstall } from './preview-install.ts';
import { prepareReplacing, putReplaced, switchedOff } from './replace.ts';
import { writeFiles } from './write.ts';

/** @property test tests every road of a plan at the front itself */
interface InstallInput extends World {
  site: Site;
  cwd: string;
  test: (plan: Plan) => Promise<TestedFront>;
  /** How many of the newest editions stay. */
  keep: number;
  /** Absolute paths of files made by hand in which what is in the way is switched off. */
  replace: readonly string[];
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
 * Brings the map live: writes it, has the proxy test it beside all that it reads, switches, reloads, waits for the mark, tests the roads, and goes
 * back when a road that was right is not any more.
 *
 * @throws Trouble `proxy-refuses` and `install-went-back`, with what is live now
 */
export async function installFront(input: InstallInput): Promise<Installed> {
  const { site, cwd, now, onStep } = input;
  const { running, place: reads } = await placeBefore(input);
  const compose = await composeOf(input, false);
  const place = placeOf(site);
  const { title } = programOf(place.proxy);
  const from = running === null ? null : await readEdition(place.folder, running).catch(() => null);
  const before = from === null ? null : await testedAs(input, from);
  const written = await writeFiles({ site, out: undefined, cwd, now: now(), dry: false, onlyPrepare: true });
  const to = written.edition;
  const isThere = !written.written && running === to && reads.how === 'read' && compose?.changed !== true;
  if (isThere && input.replace.length === 0) return { end: 'same', edition: to };
  onStep(`having ${title} test edition ${editionNumber(to)}`);
  const step = { from: from?.number ?? null, to };
  const prepared = await prepareReplacing(input.replace, { site, edition: to });
  const isTested = await assertAccepted(input, {
    ...step,
    reads,
    place,
    swaps: prepared.map(({ path, made }) => ({ of: path, instead: made })),
  });
  const include = reads.how === 'file' ? reads.path : null;
  const { proxy, mark, map, container } = place;
  await noteFront(place.folder, {
    event: 'installing',
    at: now().toISOString(),
    ...step,
    ...{ include, proxy, mark, map, container },
    replaced: prepared.map(({ path, kept, link }) => ({ path, kept, link })),
  });
  onStep(`bringing edition ${editionNumber(to)} live`);
  if (include !== null) {
    await switchEdition(place.folder, await readEdition(place.folder, to), now().toISOString());
    await makeInclude(include, written.includeLine?.line ?? '');
  }
  for (const one of prepared) await putReplaced(one);
  const problem = await moveTo(place, to, input, isTested);
  if (problem !== null) throw await wentBack(input, step, `${title} did not take it up: ${problem}`);
  onStep('testing every road');
  const after = await input.test(site.plan);
  // What was not tested to its end says nothing, neither good nor bad.
  if (input.signal.aborted) throw interrupted(to);
  const worse = madeWorse(before, after);
  if (worse.length > 0) {
    const why = worse.map(({ because }) => because.message)[0] ?? '';
    const stuck = await goBack(place, step, why, input);
    if (stuck !== null) throw halfBack(step, why, stuck);
    return { end: 'back', edition: to, from: step.from, worse };
  }
  await noteFront(place.folder, { event: 'confirmed', at: now().toISOString(), edition: to, tested: true });
  await clearSpare(input, to);
  return { end: 'live', edition: to, from: step.from, after, include };
}

/** What runs now, and how the proxy is told of our files. */
async function placeBefore(input: InstallInput): Promise<{ running: number | null; place: Place }> {
  if (input.isRead !== true) return previewInstall(input);
  return { running: await runningEdition(placeOf(input.site), input), place: { how: 'read' } };
}

async function clearSpare({ site, keep }: InstallInput, current: number): Promise<void> {
  const { folder } = placeOf(site);
  const spare = spareEditions(await readFrontJournal(folder), await editionsIn(folder), { current, keep });
  for (const edition of spare) await removeEdition(folder, edition);
  await shortenFrontJournal(folder);
}

/** By what its own edition was meant to do: by the new map what runs now may look wrong. */
async function testedAs({ test, onStep }: InstallInput, { files }: Edition): Promise<TestedFront | null> {
  const plan = readPlan(files.find(({ path }) => path === planPath)?.content ?? '');
  onStep('testing what runs now');
  return plan === null ? null : test(asDialled(plan));
}

function interrupted(to: number): Trouble {
  return new Trouble({
    code: 'install-interrupted',
    message: `Interrupted before every road was tested. The front may run edition ${editionNumber(to)} already.`,
    remedy: 'The next command asks the front which one it runs, and ends this: mile-marker install',
    exitCode: exit.interrupted,
  });
}

interface Step {
  from: number | null;
  to: number;
}

async function wentBack(input: InstallInput, { from, to }: Step, why: string): Promise<Trouble> {
  const stuck = await goBack(placeOf(input.site), { from, to }, why, input);
  if (stuck !== null) return halfBack({ from, to }, why, stuck);
  return new Trouble({
    code: 'install-went-back',
    message: `${why}. Live now: ${liveWords(from)}, as before.`,
    remedy: 'Fix that, then run this again. What happened so far: mile-marker editions',
  });
}

function halfBack({ from, to }: Step, why: string, stuck: string): Trouble {
  return new Trouble({
    code: 'install-went-back',
    message: `${why}. Going back from edition ${editionNumber(to)} did not work either: ${stuck}.`,
    remedy: `Fix that, then: mile-marker undo front${from === null ? '' : ` ${editionNumber(from)}`}`,
  });
}

/** The server's own words on the new edition, before anything that runs sees it. @returns whether it was tested beside all else that it reads */
async function assertAccepted(
  input: InstallInput,
  { to, reads, place, from, swaps }: Step & { reads: Place; place: FrontPlace; swaps: readonly Swap[] },
): Promise<boolean> {
  const tried = reads.how === 'read' ? await tryInPlace(input, place, to, swaps) : await tryAlone(input, to);
  if (tried.passed || tried.untested === true) return tried.passed && reads.how === 'read';
  const why = tried.output;
  await noteFront(place.folder, { event: 'refused', at: input.now().toISOString(), edition: to, why });
  throw new Trouble({
    code: 'proxy-refuses',
    message: `${programOf(place.proxy).title} does not accept edition ${editionNumber(to)}: ${why}. Live now: ${liveWords(from)}, as before.`,
    remedy:
      'Nothing was switched. If it names one of your own files, fix that. If it names one below .mile-marker, please report this.',
  });
}

/** Beside all that the installed program reads, in place of the edition that it reads now. */
async function tryInPlace(
  { env }: InstallInput,
  place: FrontPlace,
  to: number,
  swaps: readonly Swap[],
): Promise<Tried> {
  const { folder } = place;
  const { program, installed } = await runnerOf(place, env);
  const current = await readCurrent(folder);
  // A container is told of no other folder than `current`.
  if (current === null && place.container !== null) return { passed: false, output: '', untested: true };
  const moved =
    current === null || current.number === to
      ? []
      : [{ of: editionFolder(folder, current.number), instead: editionFolder(folder, to) }];
  return installed.testWith(program, [...moved, ...swaps]);
}

/** By itself, where nothing reads our files yet: whatever `current` leads to then runs nowhere. */
async function tryAlone({ site, env, now }: InstallInput, to: number): Promise<Tried> {
  const { folder } = placeOf(site);
  const { program, adapter } = await runnerOf(placeOf(site), env);
  if (adapter === null) return { passed: true, output: '' };
  await switchEdition(folder, await readEdition(folder, to), now().toISOString());
  const runFolder = await mkdtemp(join(tmpdir(), 'mile-marker-test-'));
  try {
    const config = join(runFolder, 'alone.conf');
    await writeFile(config, adapter.standalone({ current: join(folder, 'current'), runFolder, user: null }));
    return await adapter.test(program, { config, current: join(folder, 'current') });
  } finally {
    await rm(runFolder, { recursive: true, force: true });
  }
}

function byHand({ paths }: Site, { proxy }: FrontPlace): Trouble {
  const { title, renderer } = programOf(proxy);
  const line = renderer?.includeLine({ current: join(paths.front, 'current') })?.line ?? '';
  return new Trouble({
    code: 'include-by-hand',
    message: `The line by which ${title} reads these files was not added by \`mile-marker install\`, so it is not taken away. Nothing was changed.`,
    remedy: `Remove it yourself: ${line}, then: mile-marker undo front`,
  });
}

/** Whether its going means that a line goes which a person wrote, and which is still there. */
async function needsLine(site: Site, place: FrontPlace, { env }: World): Promise<boolean> {
  const { program, installed } = await runnerOf(place, env);
  if (installed.stop !== undefined || ownInclude(await readFrontJournal(place.folder)) !== null) return false;
  const { how } = await installed.placeFor(program, entryOf(place), needsOf(site));
  return how !== 'by-hand' && how !== 'file';
}

/** Takes the front back to an edition, or to the one before. */
interface UndoInput extends World {
  site: Site;
  /** Null: the one before; without one the front goes. */
  to: number | null;
}

/** @property from what ran until now @property to what runs now @property broughtBack files of others that are as they were */
interface Undone {
  from: number | null;
  to: number | null;
  broughtBack: string[];
}

export async function undoFront(input: UndoInput): Promise<Undone> {
  const { site, to, now } = input;
  const place = await livePlaceOf(site);
  const from = (await runningEdition(place, input)) ?? (await readCurrent(place.folder))?.number ?? null;
  if (to !== null) await readEdition(place.folder, to);
  else if (await needsLine(site, place, input)) throw byHand(site, place);
  const { proxy, mark, map, container } = place;
  await noteFront(place.folder, {
    ...{ event: 'installing', at: now().toISOString(), from, to, include: null, proxy, mark, map, container },
  });
  const replaced = await switchedOff(place, to === null ? null : from);
  const problem = await goBack(place, { from: to, to: from }, 'undone', input);
  if (problem === null) return { from, to, broughtBack: [...new Set(replaced.map(({ path }) => path))] };
  const why = `${programOf(proxy).title} did not go to ${liveWords(to)}: ${problem}`;
  const stuck = from === null ? null : await moveTo(place, from, input);
  if (from !== null && stuck === null)
    await noteFront(place.folder, { event: 'returned', at: now().toISOString(), from: to, to: from, why });
  throw new Trouble({
    code: 'undo-failed',
    message: `${why}. Live now: ${stuck === null ? liveWords(from) : 'unknown'}.`,
    remedy: 'Fix that, then run this again. What happened so far: mile-marker editions',
  });
}
