import { access } from 'node:fs/promises';
import { noteFront, readEdition, readLink } from '../../adapters/files/editions.ts';
import { keptPath } from '../../adapters/files/kept-files.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { Live, MadeFile, Replaced } from '../../core/live/entries.ts';
import type { FrontState } from '../../core/live/state.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { programOf, writtenPrograms } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import { join } from 'node:path';
import { backWords } from './back-words.ts';
import { begin, carryOut, takeBack } from './carry-out.ts';
import { leftOf, type Change } from './change.ts';
import { clearKept, includeText } from './disk.ts';
import { runnerOf, type FrontPlace, type World } from './front-moves.ts';
import { entryOf, needsOf, needsWith } from './needs.ts';
import { keepAll, switchOff } from './replace.ts';
import { placeOf, placeOfPlan, planOf, whatRunsNoted, type Truth } from './what-runs.ts';

/** Takes the front back to an edition, or to the one before. */
interface UndoInput extends World {
  site: Site;
  /** Null: nothing of this map is live afterwards. */
  to: number | null;
}

/**
 * @property from what was live until now @property to what is live now
 * @property broughtBack files of others that are as they were @property left those that somebody changed since, and where they lie as they were
 */
interface Undone {
  from: number | null;
  to: number | null;
  broughtBack: string[];
  left: Array<{ path: string; kept: string }>;
}

/** @throws Trouble `no-such-edition`, `include-by-hand`, `undo-not-ready`, `install-went-back` */
export async function undoFront(input: UndoInput): Promise<Undone> {
  const { site, to, now } = input;
  const truth = await whatRunsNoted(site, input);
  const change = await changeFor(input, truth);
  await begin(change, input);
  const problem = await carryOut(change, input, { isMoved: true });
  if (problem !== null) {
    const why = `${programOf(change.place.proxy).title} did not change to the requested edition: ${problem}`;
    throw backWords({ change, why, back: await takeBack(change, why, input) });
  }
  const from = truth.live?.edition ?? null;
  await noteFront(change.place.folder, { event: 'undone', at: now().toISOString(), from, to });
  return { from, to, ...(await whatCameBack(change)) };
}

async function whatCameBack({ restores, place }: Change): Promise<Pick<Undone, 'broughtBack' | 'left'>> {
  await clearKept(restores, place.folder);
  const left = await leftAlone(restores, place.folder);
  const paths = new Set(left.map(({ path }) => path));
  const broughtBack = [...new Set(restores.map(({ path }) => path))].filter((path) => !paths.has(path));
  return { broughtBack, left };
}

/** What was not cleared away is kept, since it is not what lies at its place. */
async function leftAlone(files: readonly Replaced[], folder: string): Promise<Undone['left']> {
  const left = await Promise.all(
    files.map(async ({ path, kept, off }) => {
      const at = keptPath(folder, kept);
      const isKept =
        off !== undefined &&
        (await access(at).then(
          () => true,
          () => false,
        ));
      return isKept ? [{ path, kept: at }] : [];
    }),
  );
  return left.flat();
}

async function changeFor({ site, to, env }: UndoInput, truth: Truth): Promise<Change> {
  const { state, live, place: now } = truth;
  const { folder } = now;
  const current = live?.edition ?? (await readLink(folder));
  const { program: running, installed: runner } = await runnerOf(now, env);
  const was = { answered: live !== null && truth.said !== null && truth.foreign === null, current };
  const shared = { from: live, was: { ...was, ran: await runner.runs(running) } };
  if (to === null) {
    if (await needsLine(site, state, now, env)) throw byHand(site, now);
    const files = { makes: [], removes: state.made, replaces: [], restores: [...state.replaced].reverse() };
    return { ...shared, to, place: now, left: null, ...files, keepsLink: await isReadByHand(site, now, env) };
  }
  const edition = await readEdition(folder, to);
  const stood = state.stood.find((one) => one.edition === to) ?? null;
  const plan = planOf(edition.files);
  const wanted = stood?.place ?? (plan === null ? null : placeOfPlan(plan, site.map.engine?.address ?? null));
  const place: FrontPlace = wanted === null ? now : { ...placeOf(site), ...wanted };
  const left = live === null ? null : leftOf(now, place, now);
  const { program, installed } = await runnerOf(place, env);
  const { replaces, restores } = await filesFor(stood, state, { plan, folder, left: left?.proxy ?? null });
  return {
    from: live,
    was: { ...was, ran: await installed.runs(program) },
    ...{ to: edition, place, left, replaces, restores, keepsLink: false },
    makes: await includeFor(site, place, { restores, env }),
    removes: left === null ? [] : state.made.filter(({ proxy }) => proxy === left.proxy && proxy !== place.proxy),
  };
}

/** Files of others as they were while that edition was live. */
async function filesFor(
  stood: Live | null,
  state: FrontState,
  { plan, folder, left }: { plan: ReturnType<typeof planOf>; folder: string; left: ProxyName | null },
): Promise<Pick<Change, 'replaces' | 'restores'>> {
  if (stood === null) return { replaces: [], restores: [] };
  const has = (list: readonly Replaced[], one: Replaced): boolean => list.some(({ path }) => path === one.path);
  const restores = state.replaced.filter((one) => !has(stood.replaced, one)).reverse();
  const again = stood.replaced.filter((one) => !has(state.replaced, one)).map(({ path }) => path);
  const switched = plan === null || again.length === 0 ? [] : await switchOff([...new Set(again)], plan, left);
  return { restores, replaces: await keepAll(switched, folder) };
}

/** The file by which that proxy reads ours, where there is none. @throws Trouble `undo-not-ready` */
async function includeFor(
  site: Site,
  place: FrontPlace,
  { restores, env }: { restores: readonly Replaced[]; env: World['env'] },
): Promise<MadeFile[]> {
  const { title, renderer } = programOf(place.proxy);
  const { program, installed } = await runnerOf(place, env);
  const needs = await needsWith(site, restores);
  const reads = await installed.placeFor(program, entryOf(place), needs);
  if (reads.how === 'read') return [];
  const line = renderer?.includeLine({ current: join(place.folder, 'current') })?.line ?? '';
  if (reads.how === 'file') return [{ path: reads.path, content: includeText(line), proxy: place.proxy }];
  throw new Trouble({
    code: 'undo-not-ready',
    message: `${title} cannot load that edition: ${reads.why}. Nothing was changed.`,
    remedy: `Fix that, then run this again${reads.how === 'first' ? `: ${reads.steps}` : ''}`,
  });
}

function byHand({ paths }: Site, { proxy }: FrontPlace): Trouble {
  const { title, renderer } = programOf(proxy);
  const line = renderer?.includeLine({ current: join(paths.front, 'current') })?.line ?? '';
  return new Trouble({
    code: 'include-by-hand',
    message: `The line by which ${title} reads these files was not added by \`mile-marker install\`, so it stays. Nothing was changed.`,
    remedy: `Remove it yourself: ${line}, then: mile-marker undo front`,
  });
}

/** Whether another server starts with the folder of editions, by a line that a person wrote: it would not start without it. */
async function isReadByHand(site: Site, place: FrontPlace, env: World['env']): Promise<boolean> {
  const others = writtenPrograms().filter(({ name, limits }) => limits.readsFolder && name !== place.proxy);
  for (const { name: proxy } of others) {
    const other: FrontPlace = { ...place, proxy, container: null };
    const runner = await runnerOf(other, env).catch(() => null);
    if (runner === null || runner.adapter === null) continue;
    const { how } = await runner.installed.placeFor(runner.program, entryOf(other), needsOf(site));
    if (how === 'read') return true;
  }
  return false;
}

/** Whether its going means that a line goes which a person wrote, and which is still there. */
async function needsLine(site: Site, { made }: FrontState, place: FrontPlace, env: World['env']): Promise<boolean> {
  const { program, installed } = await runnerOf(place, env);
  if (installed.isOwn || made.some(({ proxy }) => proxy === place.proxy)) return false;
  const { how } = await installed.placeFor(program, entryOf(place), needsOf(site));
  return how !== 'by-hand' && how !== 'file';
}
