import { dirname } from 'node:path';
import { readHeldCertificate } from '../../adapters/certificates/read.ts';
import { findMap, shownPath } from '../../adapters/files/find-map.ts';
import { filesOfMap } from '../../adapters/files/files-of-map.ts';
import { readJournal } from '../../adapters/files/journal.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { statePaths, type StatePaths } from '../../adapters/files/state-folder.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { startsAtBoot } from '../../adapters/host/boot.ts';
import { hostFacts } from '../../adapters/host/facts.ts';
import { listeningSockets } from '../../adapters/host/sockets.ts';
import type { Trouble } from '../../adapters/trouble.ts';
import type { HeldCertificate } from '../../core/certificates/cover.ts';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { hstsEntry, rememberedUntil } from '../../core/hsts.ts';
import type { Inventory } from '../../core/inventory/inventory.ts';
import { readMap } from '../../core/map/read-map.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { makePlan, type Planned } from '../../core/plan/make-plan.ts';
import { runRules } from '../../core/rules/all-rules.ts';
import { takeInventory } from '../survey/take-inventory.ts';

/** Where a command was started. */
export interface Place {
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
}

/** A map that was read, with all that was found around it. */
export interface Site extends Planned {
  mapFile: string;
  shownMap: string;
  map: SiteMap;
  inventory: Inventory;
  paths: StatePaths;
  /** Why the engine gave no answer, or null. */
  engineTrouble: Trouble | null;
  /** What was wrong with the files themselves; the rules have not spoken yet. */
  findings: Finding[];
}

/** A map that cannot be read: its findings say why. */
interface UnreadSite {
  mapFile: string;
  shownMap: string;
  map: null;
  findings: Finding[];
}

/** Reads the map and everything on this machine that its plan depends on. Sends nothing. */
export async function loadSite(
  mapOption: string | undefined,
  { cwd, env }: Place,
  { frontAsMade = false, proxy }: { frontAsMade?: boolean; proxy?: ProxyName } = {},
): Promise<Site | UnreadSite> {
  const mapFile = await findMap({ option: mapOption, cwd, env });
  const shownMap = shownPath(mapFile, cwd);
  const read = readMap({ file: shownMap, text: await readText({ path: mapFile, what: 'map' }) });
  if (read.map === null) return { mapFile, shownMap, map: null, findings: sortFindings(read.findings) };
  const { front } = read.map;
  const map = proxy === undefined ? read.map : { ...read.map, front: { ...front, proxy } };
  const { inventory, trouble: engineTrouble, ...taken } = await takeInventory({ map, mapFile, cwd, env });
  const paths = statePaths(mapFile);
  const host = hostFacts();
  const planned = makePlan({
    map,
    inventory,
    host,
    certificatesFolder: paths.certificates,
    challengesFolder: paths.challenges,
    mapFolder: dirname(mapFile),
    frontAsMade,
  });
  const findings = [...read.findings, ...taken.findings];
  return { mapFile, shownMap, map, paths, inventory, engineTrouble, findings, ...planned };
}

export function readHeld(plan: Planned['plan']): Map<string, HeldCertificate | null> {
  return new Map(plan.certificates.map((planned) => [planned.id, readHeldCertificate(planned)]));
}

/** @property replaced files made by hand that are to be switched off, so that they are in nobody's way */
interface JudgeInput {
  now: Date;
  env: Place['env'];
  replaced?: readonly string[];
}

/** Everything that is wrong with a site as it lies on this machine. */
export async function judgeSite(site: Site, { now, env, replaced = [] }: JudgeInput): Promise<Finding[]> {
  const { map, plan, inventory, front, host, findings } = site;
  const certificates = readHeld(plan);
  const served = (await adapterOf(plan.front.proxy)?.served(env, plan)) ?? null;
  const ruled = runRules({
    map,
    plan,
    inventory,
    certificates,
    served:
      served === null ? null : { ...served, blocks: served.blocks.filter(({ file }) => !replaced.includes(file)) },
    host,
    front,
    sockets: listeningSockets(),
    startsAtBoot: startsAtBoot(plan.front.proxy),
    files: filesOfMap(plan, site.mapFile),
    hsts: rememberedUntil(await readJournal(site.paths.hsts, hstsEntry), now.getTime()),
    now: now.getTime(),
  });
  return sortFindings([...findings, ...ruled]);
}
