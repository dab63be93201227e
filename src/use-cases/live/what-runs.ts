import { noteFront, readEdition, readState } from '../../adapters/files/editions.ts';
import type { Live, PlaceEntry } from '../../core/live/entries.ts';
import type { FrontState } from '../../core/live/state.ts';
import { planPath, readPlan } from '../../core/proxies/builtin/renderer.ts';
import type { WrittenFile } from '../../core/proxies/renderer.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { Site } from '../map/load.ts';
import { saidMark, type FrontPlace, type World } from './front-moves.ts';

/** The part of a site that says which front is meant. */
export type FrontOf = Pick<Site, 'plan' | 'paths' | 'mapFile' | 'map'>;

/**
 * What is live.
 *
 * @property live by the record, corrected by the mark where it answered; null when nothing was ever confirmed or seen, or it was undone
 * @property place where that is; where nothing is, where the map wants it
 * @property said what the mark answered; null for nothing, which is no fact
 * @property foreign number of an edition that the front runs and that does not lie here, as after a restored backup
 * @property isNews the mark corrected the record
 */
export interface Truth {
  state: FrontState;
  live: Live | null;
  place: FrontPlace;
  said: string | null;
  foreign: number | null;
  isNews: boolean;
}

/** Where the map wants its front. */
export function placeOf({ plan, paths, mapFile, map }: FrontOf): FrontPlace {
  return { folder: paths.front, map: mapFile, ...placeOfPlan(plan, map.engine?.address ?? null) };
}

/** Where a plan has its front. @param engine address of the engine as the map has it */
export function placeOfPlan({ front }: Pick<Plan, 'front'>, engine: string | null): PlaceEntry {
  const { proxy, mark, container: name, cluster } = front;
  const container = name === null ? null : { name, engine, inCluster: cluster !== null };
  return { proxy, mark: { address: mark.address, port: mark.port }, container };
}

/** Looks, and changes nothing. */
export async function whatRuns(site: FrontOf, world: World): Promise<Truth> {
  const wanted = placeOf(site);
  const state = await readState(wanted.folder);
  const known = state.live?.place ?? null;
  const place: FrontPlace = known === null ? wanted : { ...wanted, ...known };
  // Somebody may have brought another one live by hand.
  const said = (await saidMark(place, world)) ?? (isAsked(wanted, place) ? null : await saidMark(wanted, world));
  const truth: Truth = { state, live: state.live, place, said, foreign: null, isNews: false };
  const [, number, digest = ''] = /^edition (\d{4,}) (sha256:[0-9a-f]{64})$/.exec(said ?? '') ?? [];
  if (number === undefined || isOf(state.live, Number(number), digest)) return truth;
  const edition = await readEdition(wanted.folder, Number(number)).catch(() => null);
  if (edition?.digest !== digest) return { ...truth, foreign: Number(number) };
  const plan = planOf(edition.files);
  const seen = plan === null ? place : placeOfPlan(plan, site.map.engine?.address ?? null);
  const { made, replaced } = state;
  const live = { edition: edition.number, digest, place: seen, made, replaced };
  return { ...truth, live, place: { ...wanted, ...seen }, isNews: true };
}

function isAsked(wanted: FrontPlace, { mark, container }: FrontPlace): boolean {
  const isSameMark = wanted.mark.address === mark.address && wanted.mark.port === mark.port;
  return isSameMark && wanted.container?.name === container?.name;
}

function isOf(live: Live | null, edition: number, digest: string): boolean {
  return live?.edition === edition && (live.digest === null || live.digest === digest);
}

/** The plan that an edition keeps; null for one of an earlier version, or one that was damaged. */
export function planOf(files: readonly WrittenFile[]): Plan | null {
  return readPlan(files.find(({ path }) => path === planPath)?.content ?? '');
}

/** The same for whoever is about to change it: what the mark corrected is noted. */
export async function whatRunsNoted(site: FrontOf, world: World): Promise<Truth> {
  const truth = await whatRuns(site, world);
  const { live, isNews, place } = truth;
  if (!isNews || live?.digest === null || live === null) return truth;
  const { proxy, mark, container } = place;
  await noteFront(place.folder, {
    ...{ event: 'seen', at: world.now().toISOString(), edition: live.edition, digest: live.digest },
    ...{ proxy, mark, container },
  });
  return { ...truth, state: await readState(place.folder), isNews: false };
}

/** Whether the mark says that the front runs this very edition. */
export function runs({ said }: Pick<Truth, 'said'>, { number, digest }: { number: number; digest: string }): boolean {
  const [, answered, sum] = /^edition (\d+) (sha256:[0-9a-f]{64})$/.exec(said ?? '') ?? [];
  return Number(answered) === number && sum === digest;
}
