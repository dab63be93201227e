import { recordWay } from '../../adapters/records/ways.ts';
import { readKnown } from '../../adapters/files/known.ts';
import type { KnownServices } from '../../core/inventory/known-services.ts';
import { ownUsers } from '../../adapters/host/own-users.ts';
import { ownerName } from '../../adapters/host/file-user.ts';
import { dirname } from 'node:path';
import { diskRoom } from '../../adapters/files/disk-room.ts';
import { readState } from '../../adapters/files/editions.ts';
import { readAttempts } from '../../adapters/acme/kept.ts';
import { readHeldCertificate } from '../../adapters/certificates/read.ts';
import { findMap, shownPath } from '../../adapters/files/find-map.ts';
import { isWalled } from '../../adapters/files/firewall-journal.ts';
import { ownFiles, readIdentity } from '../../adapters/files/identity.ts';
import { filesOfMap } from '../../adapters/files/files-of-map.ts';
import { pagesOfMap } from '../../adapters/files/pages-of-map.ts';
import { readJournal } from '../../adapters/files/journal.ts';
import { isFollowed } from '../../adapters/files/followed.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { statePaths, type StatePaths } from '../../adapters/files/state-folder.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { startsAtBoot } from '../../adapters/host/boot.ts';
import { hostFacts } from '../../adapters/host/facts.ts';
import { listeningSockets } from '../../adapters/host/sockets.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { issuers } from '../../core/certificates/attempts.ts';
import type { HeldCertificate } from '../../core/certificates/cover.ts';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { hstsEntry, rememberedUntil } from '../../core/hsts.ts';
import type { Inventory } from '../../core/inventory/inventory.ts';
import { labelledRoads, type LabelNotObeyed } from '../../core/labels/labelled-roads.ts';
import { readMap } from '../../core/map/read-map.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import type { ReadPage } from '../../core/plan/page-texts.ts';
import { makePlan, type Planned } from '../../core/plan/make-plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Facts } from '../../core/rules/rule.ts';
import { runRules } from '../../core/rules/all-rules.ts';
import type { EngineHeard } from '../../adapters/files/found.ts';
import { takeInventory, type HeardEngines } from '../survey/take-inventory.ts';

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
  /** The files of `pages`, as they were read. */
  pages: readonly ReadPage[];
  paths: StatePaths;
  /** Path of the server program on this machine, and its version; null when it is not there, says nothing, or serves elsewhere. Asked once. */
  proxyProgram: () => Promise<{ program: string | null; version: string | null }>;
  /** Text in which the hashes of people stand that may be let in; null or absent for all of the password files. */
  knownPeople?: string | null;
  /** Why the engine gave no answer, or null. */
  engineTrouble: Trouble | null;
  /** What the engines of other machines said. */
  machines: ReadonlyMap<string, EngineHeard>;
  /** Labels of containers that make no road, although the map obeys labels. */
  notObeyed: readonly LabelNotObeyed[];
  /** Whom roads led to when files were written last, and whether nobody looks on since `follow` runs. */
  known: KnownServices;
  isFollowed: boolean;
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

/**
 * @property frontAsMade take a front in a container as `write --compose` makes it, whatever networks it is on now
 * @property proxy in place of the one that the map says
 * @property text of the map, in place of what its file says now
 * @property heard what the engine said a moment ago, in place of asking it
 */
interface LoadOptions {
  frontAsMade?: boolean;
  proxy?: ProxyName;
  text?: string;
  heard?: HeardEngines;
  /** Whether addresses of container networks may be dialled; default: while `follow` runs. */
  isFollowed?: boolean;
}

/** Reads the map and everything on this machine that its plan depends on. Sends nothing. */
export async function loadSite(
  mapOption: string | undefined,
  { cwd, env }: Place,
  { frontAsMade = false, proxy, text, heard, isFollowed: followed }: LoadOptions = {},
): Promise<Site | UnreadSite> {
  const mapFile = await findMap({ option: mapOption, cwd, env });
  const shownMap = shownPath(mapFile, cwd);
  const read = readMap({ file: shownMap, text: text ?? (await readText({ path: mapFile, what: 'map' })) });
  if (read.map === null) return { mapFile, shownMap, map: null, findings: sortFindings(read.findings) };
  const { front } = read.map;
  const written = proxy === undefined ? read.map : { ...read.map, front: { ...front, proxy } };
  const {
    inventory,
    machines,
    trouble: engineTrouble,
    ...taken
  } = await takeInventory({
    ...{ map: written, mapFile, cwd, env, heard },
  });
  const paths = statePaths(mapFile);
  const known = readKnown(paths);
  const isFollowedNow = followed ?? (await isFollowed(paths));
  const held = { holders: known.labels, isFollowed: isFollowedNow };
  const { roads: labelled, notObeyed } = labelledRoads(written, inventory, held);
  const map = labelled.length === 0 ? written : { ...written, roads: [...written.roads, ...labelled] };
  const host = hostFacts();
  const pages = pagesOfMap(map, dirname(mapFile));
  const planned = makePlan({
    map,
    identity: readIdentity(paths),
    inventory,
    host,
    certificatesFolder: paths.certificates,
    challengesFolder: paths.challenges,
    mapFolder: dirname(mapFile),
    pages,
    frontAsMade,
    isFollowed: isFollowedNow,
    projects: known.projects,
  });
  const findings = [...read.findings, ...taken.findings];
  const proxyProgram = asker(planned.plan, env);
  const found = { inventory, machines, pages, notObeyed, proxyProgram, engineTrouble, findings };
  const seen = { known, isFollowed: isFollowedNow };
  return { mapFile, shownMap, map, paths, ...found, ...seen, ...planned };
}

/** Asks once for the server program of a plan. */
export function asker({ front }: Planned['plan'], env: Place['env']): Site['proxyProgram'] {
  let asked: ReturnType<Site['proxyProgram']> | null = null;
  const ask = async (): ReturnType<Site['proxyProgram']> => {
    const adapter = front.container === null ? adapterOf(front.proxy) : null;
    const program = (await adapter?.find(env).catch(() => null)) ?? null;
    return { program, version: program === null ? null : ((await adapter?.version(program)) ?? null) };
  };
  return () => (asked ??= ask());
}

/** What the program of this machine is, as far as files depend on it. */
async function installedFacts({ plan, proxyProgram }: Site): Promise<Facts['installed']> {
  const { program, version } = await proxyProgram();
  const asksModules = programOf(plan.front.proxy).modules.length > 0;
  const modules = program === null || !asksModules ? null : await adapterOf(plan.front.proxy)?.modules(program);
  return { version, modules: modules ?? null };
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

/** The front that is live where the map wants another one. A journal that cannot be read says nothing. */
async function formerFront({ plan: { front }, paths }: Site): Promise<Facts['former']> {
  const { live } = await readState(paths.front).catch(() => ({ live: null }));
  const place = live?.place ?? null;
  const isSame =
    place?.proxy === front.proxy &&
    (place.container?.name ?? null) === front.container &&
    place.mark.port === front.mark.port;
  return isSame ? null : place;
}

/** Who else decides what a server reads as root: the owner of the map, once it is live there. */
async function ownerOf({ paths, mapFile }: Site): Promise<string | null> {
  const { live } = await readState(paths.front).catch(() => ({ live: null }));
  return live === null ? null : ownerName(dirname(mapFile));
}

/** What is wrong with the key by which the zone is updated, where the map names one. */
async function badUpdateKey({ map, mapFile }: Site): Promise<{ problem: string; remedy: string } | null> {
  if (map.dns.server === null) return null;
  try {
    await recordWay(map.dns, dirname(mapFile));
    return null;
  } catch (error) {
    if (error instanceof Trouble) return { problem: error.message, remedy: error.remedy };
    throw error;
  }
}

/** Everything that is wrong with a site as it lies on this machine. */
export async function judgeSite(site: Site, { now, env, replaced = [] }: JudgeInput): Promise<Finding[]> {
  const { map, plan, inventory, front, host, pages, notObeyed, findings } = site;
  const certificates = readHeld(plan);
  // What a container reads is its own.
  const onHost = plan.front.container === null ? adapterOf(plan.front.proxy) : null;
  const served = (await onHost?.served(env, ownFiles(plan.identity, site.paths))) ?? null;
  const ruled = runRules({
    installed: await installedFacts(site),
    map,
    plan,
    inventory,
    pages,
    notObeyed,
    certificates,
    issuedBy: issuers(await readAttempts(site.paths.acme)),
    served:
      served === null ? null : { ...served, blocks: served.blocks.filter(({ file }) => !replaced.includes(file)) },
    host,
    front,
    sockets: listeningSockets(ownUsers(site.mapFile)),
    startsAtBoot: startsAtBoot(plan.front.proxy),
    files: filesOfMap(plan, site.mapFile),
    isWalled: await isWalled(site.paths),
    former: await formerFront(site),
    room: diskRoom(site.paths.root),
    owner: await ownerOf(site),
    updateKey: await badUpdateKey(site),
    hsts: rememberedUntil(await readJournal(site.paths.hsts, hstsEntry), now.getTime()),
    now: now.getTime(),
  });
  return sortFindings([...findings, ...ruled]);
}
