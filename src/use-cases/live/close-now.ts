import { readEdition } from '../../adapters/files/editions.ts';
import { closingOf, type Closed } from '../../core/live/closing.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { TestedFront } from '../../core/live/made-worse.ts';
import { asker, type Site } from '../map/load.ts';
import type { World } from './front-moves.ts';
import { installFront } from './install-front.ts';
import { previewInstall } from './preview-install.ts';
import { planOf, whatRuns } from './what-runs.ts';
import { writeFiles } from './write.ts';

interface CloseInput extends World {
  site: Site;
  cwd: string;
  /** Names of the roads that are meant; null for all. */
  only: readonly string[] | null;
  /** Somebody was taken out of a password file, which the front has a copy of. */
  people?: boolean;
  onStep: (words: string) => void;
}

/**
 * How it ended. `closed`: by this edition, and whether the map holds more back. `nothing`: what runs is as closed as the map. `unknown`: nothing of this map is
 * live, or what is live keeps no plan, so that nothing can be brought live alone.
 */
type ClosedNow =
  | { end: 'closed'; edition: number; closed: Closed[]; moreWaits: boolean }
  | { end: 'nothing' | 'unknown'; moreWaits: boolean };

/** Closing is never worse than what it closes, so no road is tested and nothing rehearsed: it is live at once. */
const untested: TestedFront = { roads: [], findings: [] };

/**
 * Brings live what the map closes, alone, on the edition that runs: whatever else the map still holds back.
 *
 * @throws Trouble those of `previewInstall` and `installFront`
 */
export async function closeNow(input: CloseInput): Promise<ClosedNow> {
  const { site, cwd, env, only, people = false, onStep } = input;
  const running = await runningPlan(input);
  if (running === null) return { end: 'unknown', moreWaits: true };
  const { plan, closed } = closingOf(running.plan, site.plan, only);
  if (closed.length === 0 && !people) return { end: 'nothing', moreWaits: await waits(input) };
  const isSame = plan.front.proxy === site.plan.front.proxy;
  // Whoever is new in a password file is let in when the rest is.
  const known = people ? running.texts.join('\n') : null;
  const alone: Site = {
    ...{ ...site, plan, knownPeople: known },
    proxyProgram: isSame ? site.proxyProgram : asker(plan, env),
  };
  await previewInstall({ ...input, site: alone });
  const ended = await installFront({
    ...input,
    site: alone,
    cwd,
    keep: 10,
    switched: [],
    onStep,
    test: () => Promise.resolve(untested),
  });
  return { end: 'closed', edition: ended.edition, closed, moreWaits: await waits(input) };
}

/** What it would close, with nothing changed. */
export async function closesWhat(input: Omit<CloseInput, 'people'>): Promise<Closed[]> {
  const running = await runningPlan(input);
  return running === null ? [] : closingOf(running.plan, input.site.plan, input.only).closed;
}

async function runningPlan({ site, ...world }: CloseInput): Promise<{ plan: Plan; texts: string[] } | null> {
  const { live } = await whatRuns(site, world);
  const edition = live === null ? null : await readEdition(site.paths.front, live.edition).catch(() => null);
  const plan = edition === null ? null : planOf(edition.files);
  return edition === null || plan === null ? null : { plan, texts: edition.files.map(({ content }) => content) };
}

/** Whether the map would have anything else written than what is. */
async function waits({ site, cwd, now }: CloseInput): Promise<boolean> {
  const { changes } = await writeFiles({ site, out: undefined, cwd, now: now(), dry: true });
  return changes.length > 0;
}
