import { writeKnown } from '../../adapters/files/known.ts';
import { knownAfter } from '../../core/inventory/known-services.ts';
import { createHash } from 'node:crypto';
import { dirname, join, resolve } from 'node:path';
import { sshPorts } from '../../adapters/host/ssh-ports.ts';
import { homeNetworks } from '../../core/networks/home.ts';
import { firewallRules } from '../../core/way-in/firewall.ts';
import { wayInPage } from '../../core/way-in/page.ts';
import { joinPairs } from '../../adapters/certificates/store.ts';
import { fillWithThrowaway } from '../../adapters/certificates/practice.ts';
import {
  alteredFiles,
  markText,
  nextNumber,
  prepareEdition,
  readCurrent,
  switchEdition,
  type Edition,
} from '../../adapters/files/editions.ts';
import { ensureIdentity } from '../../adapters/files/identity.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { keepMapSchema } from '../../adapters/files/map-schema.ts';
import { keepFound } from '../../adapters/files/machines.ts';
import { placementOf } from '../../adapters/files/placement.ts';
import { ensureFolder } from '../../adapters/files/safe-write.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { planFile, planPath } from '../../core/proxies/builtin/renderer.ts';
import { programOf, writtenPrograms } from '../../core/proxies/programs.ts';
import type { Renderer, WrittenFile } from '../../core/proxies/renderer.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { Site } from '../map/load.ts';
import { rememberSince } from '../map/forgotten.ts';
import { rememberHsts } from './remember-hsts.ts';
import { writeNotes } from './write-notes.ts';

/** @throws Trouble `proxy-later` for a proxy whose files cannot be written yet */
function rendererFor(proxy: Plan['front']['proxy']): Renderer {
  const { renderer, title } = programOf(proxy);
  if (renderer !== null) return renderer;
  const written = writtenPrograms().map(({ name }) => `\`proxy: ${name}\``);
  const message = `This version cannot write a configuration for ${title} yet.`;
  throw new Trouble({ code: 'proxy-later', message, remedy: `Write one of: ${written.join(', ')}.`, exitCode: 2 });
}

/** How one file differs from the newest edition. `before` or `after` is null when the file comes or goes. */
export interface FileChange {
  path: string;
  before: string | null;
  after: string | null;
}

/**
 * @property edition the one that now counts: a new one, or the newest when nothing changed
 * @property files all of it, as it is or would be written
 */
export interface WriteResult {
  folder: string;
  edition: number;
  digest: string;
  files: WrittenFile[];
  changes: FileChange[];
  written: boolean;
  throwaway: string[];
  includeLine: { line: string; where: string; apply?: string } | null;
  /** The line for raw ports, where there are any and they are read elsewhere. */
  rawLine: { line: string; where: string } | null;
}

interface WriteInput {
  site: Site;
  /** Folder for editions; default: `front` in the state folder. Relative to `cwd`. */
  out: string | undefined;
  cwd: string;
  now: Date;
  /** Only say what would change. */
  dry: boolean;
  /** Leave `current` where it is: what is installed is tested first. */
  onlyPrepare?: boolean;
  /** A number of an edition that a front runs, whether it lies here or not. */
  above?: number;
}

/**
 * Writes the proxy's configuration for a plan as a new edition and switches to it. When nothing would change,
 * nothing is written.
 *
 * @throws Trouble `path-unusable` when the folder's path cannot stand in the server's configuration
 */
export async function writeFiles({
  site,
  out,
  cwd,
  now,
  dry,
  onlyPrepare = false,
  above = 0,
}: WriteInput): Promise<WriteResult> {
  const { paths } = site;
  const plan = dry ? site.plan : { ...site.plan, identity: await ensureIdentity(paths) };
  const renderer = rendererFor(plan.front.proxy);
  const folder = out === undefined ? paths.front : resolve(cwd, out);
  assertUsable(renderer, [folder, paths.certificates]);
  const { version } = await site.proxyProgram();
  const { mapFile, knownPeople } = site;
  const placement = placementOf({ plan, mapFile, current: join(folder, 'current'), version, knownPeople });
  const files = renderer.render(plan, placement);
  // The mark tells what the proxy runs; what is meant for people and routers is no part of it.
  const digest = digestOf(renderer.essence(plan, files));
  const wayIn = wayInFiles(site, placement.current);
  const current = await readCurrent(folder);
  const includeLine = renderer.includeLine(placement);
  const rawLine = plan.ports.length === 0 ? null : (renderer.rawLine?.(placement) ?? null);
  const lines = { includeLine, rawLine };
  const fresh = current?.digest !== digest || isAltered(current) || wayIn.some((file) => !isIn(current.files, file));
  const edition = fresh ? await nextNumber(folder, above) : current.number;
  const markFile = renderer.renderMark(plan, markText({ number: edition, digest }));
  const complete = [...files, ...(renderer.entry === planPath ? [] : [planFile(plan)]), ...wayIn, markFile];
  const changes = fresh ? changesBetween(current?.files ?? [], [...files, ...wayIn, markFile], markFile.path) : [];
  if (dry) return { folder, edition, digest, files: complete, changes, written: false, throwaway: [], ...lines };
  if (folder === paths.front) await ensureState(paths);
  const throwaway = await fillWithThrowaway({ paths, certificates: plan.certificates, now });
  if (programOf(plan.front.proxy).limits.pair === 'one-file') await joinPairs(plan.certificates);
  await adapterOf(plan.front.proxy)?.tellChallenges?.(plan);
  await ensureLogs(plan);
  if (folder === paths.front) await writeNotes(site);
  for (const [machine, { facts }] of site.machines)
    if (facts !== null) await keepFound(paths, machine, { facts, at: now.toISOString() });
  if (fresh) await prepareEdition(folder, { number: edition, digest, files: complete }, now.toISOString());
  if (fresh && !onlyPrepare) await switchEdition(folder, { number: edition, digest }, now.toISOString());
  if (fresh && folder === paths.front) {
    await rememberHsts(plan, paths, now);
    await rememberSince(plan, paths, now);
    await writeKnown(paths, knownAfter(site.known, site, site.isFollowed));
    await keepMapSchema(paths);
  }
  return { folder, edition, digest, files: complete, changes, written: fresh, throwaway, ...lines };
}

/** What somebody changed by hand is written anew. */
function isAltered(current: Edition): boolean {
  const { changed, missing } = alteredFiles(current);
  return changed.length + missing.length > 0;
}

/** A server does not start when the folder of a log is missing. */
export async function ensureLogs({ roads, front }: Plan): Promise<void> {
  if (front.container !== null) return;
  for (const { rules } of roads) if (typeof rules.log === 'string') await ensureFolder(dirname(rules.log), 0o750);
}

function isIn(files: readonly WrittenFile[], { path, content }: WrittenFile): boolean {
  return files.some((file) => file.path === path && file.content === content);
}

/** What a router must do, and rules for the firewall of this machine. */
function wayInFiles({ plan, host, map }: Site, current: string): WrittenFile[] {
  const facts = { plan, host, home: homeNetworks(host, map.front.homeNetworks), sshPorts: sshPorts() };
  return [
    { path: 'way-in.md', content: wayInPage(facts, join(current, 'way-in.nft')) },
    { path: 'way-in.nft', content: firewallRules(facts) },
  ];
}

function assertUsable(renderer: Renderer, folders: string[]): void {
  for (const folder of folders) {
    const odd = renderer.unusablePath(folder);
    if (odd === null) continue;
    const message = `The folder ${folder} has the character ${JSON.stringify(odd)} in its path, which is not allowed in the configuration.`;
    throw new Trouble({
      code: 'path-unusable',
      message,
      remedy: 'Move the map to another folder, or name one with --out.',
      exitCode: 2,
    });
  }
}

/** The digest of an edition: SHA-256 over path and content of each file in the order of paths, each with its length. */
export function digestOf(files: readonly WrittenFile[]): string {
  const hash = createHash('sha256');
  for (const { path, content } of [...files].sort((a, b) => (a.path < b.path ? -1 : 1))) {
    hash.update(`${path}\n${String(Buffer.byteLength(content))}\n${content}`);
  }
  return `sha256:${hash.digest('hex')}`;
}

/** What is secret is the last word of a line; whose it is may be seen. */
function hidden({ path, before, after }: FileChange): FileChange {
  const hide = (text: string | null): string | null => text?.replace(/'[^']*'$/gm, "'(not shown)'") ?? null;
  return { path, before: hide(before), after: hide(after) };
}

function changesBetween(older: readonly WrittenFile[], newer: readonly WrittenFile[], markPath: string): FileChange[] {
  // What an edition is kept with says nothing new to a person.
  const isShown = ({ path }: WrittenFile): boolean =>
    path !== 'mark.txt' && (path !== planPath || newer.some((file) => file.path === planPath));
  const secrets = new Set(newer.flatMap(({ path, secret }) => (secret === true ? [path] : [])));
  const old = new Map(older.filter(isShown).map(({ path, content }) => [path, content]));
  const fresh = new Map(newer.map(({ path, content }) => [path, content]));
  return (
    [...new Set([...old.keys(), ...fresh.keys()])]
      .sort()
      .map((path) => ({ path, before: old.get(path) ?? null, after: fresh.get(path) ?? null }))
      // The mark changes with anything else; listed beside it, it would only hide what matters.
      .filter(
        ({ path, before, after }) => before !== after && !(path === markPath && before !== null && after !== null),
      )
      .map((change) => (secrets.has(change.path) ? hidden(change) : change))
  );
}
