import { resolve } from 'node:path';
import type { Place } from '../../adapters/proxies/adapter.ts';
import type { Site } from '../map/load.ts';
import { leftOf } from './change.ts';
import { runnerOf, type FrontPlace, type World } from './front-moves.ts';
import { assertNoHindrance } from './hindrances.ts';
import { comesBackWith, entryOf, needsWith } from './needs.ts';
import { switchOff, type SwitchedOff } from './replace.ts';
import { placeOf, runs, whatRuns, type Truth } from './what-runs.ts';
import { writeCompose, type ComposeResult } from './write-compose.ts';
import { writeFiles, type WriteResult } from './write.ts';

interface PreviewInput extends World {
  site: Site;
  cwd: string;
  /** Paths of files made by hand in which what is in the way is to be switched off. */
  replace?: readonly string[];
}

/** What would be done, with nothing changed. */
export interface Prepared {
  changes: WriteResult['changes'];
  edition: number;
  truth: Truth;
  /** What the proxy needs in order to read our files. */
  place: Place;
  /** The front that gives way; null when it is the same, or none. */
  left: FrontPlace | null;
  written: WriteResult;
  switched: SwitchedOff[];
  /** The front runs it, and will at its next start. */
  isLive: boolean;
}

/** @throws Trouble `no-engine`, `proxy-missing`, `cannot-replace`, and those of `assertNoHindrance` */
export async function previewInstall(input: PreviewInput): Promise<Prepared> {
  const { site, cwd, env, now, replace = [] } = input;
  const truth = await whatRuns(site, input);
  const wanted = placeOf(site);
  const { program, installed } = await runnerOf(wanted, env);
  const written = await writeFiles({ site, out: undefined, cwd, now: now(), dry: true, above: truth.foreign ?? 0 });
  const compose = await composeOf(input, true);
  const left = truth.live === null ? null : leftOf(truth.place, wanted, wanted);
  const needs = await needsWith(site, comesBackWith(wanted, truth.state.replaced));
  const asked = await installed.placeFor(program, entryOf(wanted), needs);
  const isBroken = asked.how === 'refuses' && asked.why.includes(`${site.paths.root}/`);
  // What is missing of ours is made anew by what comes.
  const place: Place = isBroken ? { how: 'read' } : asked;
  const paths = replace.map((path) => resolve(cwd, path));
  const { made } = truth.state;
  await assertNoHindrance({ site, reads: place, written, left, made, switched: paths }, input);
  const switched = await switchOff(paths, site.plan, left?.proxy ?? null);
  const anew = compose === null || !compose.changed ? [] : [{ ...compose, after: compose.text }];
  const changes = [...written.changes, ...anew];
  const isRunning = runs(truth, { number: written.edition, digest: written.digest });
  const isRead = place.how === 'read' && !isBroken;
  const isLive = changes.length === 0 && isRunning && isRead && left === null && !truth.isNews;
  return { changes, edition: written.edition, truth, place, left, written, switched, isLive };
}

/** The Compose file of a front in a container; null where it runs on this machine. */
export async function composeOf(
  { site, cwd }: Pick<PreviewInput, 'site' | 'cwd'>,
  dry: boolean,
): Promise<ComposeResult['file']> {
  if (site.plan.front.container === null) return null;
  return (await writeCompose({ site, folder: site.paths.front, cwd, dry })).file;
}
