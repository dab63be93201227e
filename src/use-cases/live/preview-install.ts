import { join } from 'node:path';
import { readFrontJournal } from '../../adapters/files/editions.ts';
import type { Needs, Place } from '../../adapters/proxies/adapter.ts';
import { exit, Trouble } from '../../adapters/trouble.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { shellWord } from '../../core/shell-word.ts';
import type { Site } from '../map/load.ts';
import { runnerOf, runningEdition, type FrontPlace, type World } from './front-moves.ts';
import { writeCompose, type ComposeResult } from './write-compose.ts';
import { writeFiles, type WriteResult } from './write.ts';

interface PreviewInput extends World {
  site: Site;
  cwd: string;
}

export function placeOf({ plan, paths, mapFile, map }: Pick<Site, 'plan' | 'paths' | 'mapFile' | 'map'>): FrontPlace {
  const { proxy, mark, container: name, cluster } = plan.front;
  const container = name === null ? null : { name, engine: map.engine?.address ?? null, inCluster: cluster !== null };
  return { folder: paths.front, proxy, map: mapFile, mark: { address: mark.address, port: mark.port }, container };
}

/** Where the front was brought live last; the map may say another proxy by now. */
export async function livePlaceOf(site: Parameters<typeof placeOf>[0]): Promise<FrontPlace> {
  const { folder, ...wanted } = placeOf(site);
  const last = (await readFrontJournal(folder)).filter((entry) => entry.event === 'installing').at(-1);
  if (last === undefined) return { folder, ...wanted };
  const { proxy, mark, map = wanted.map, container = wanted.container } = last;
  return { folder, proxy, mark, map, container };
}

/** What would be done, with nothing changed. */
export interface Prepared {
  changes: WriteResult['changes'];
  edition: number;
  running: number | null;
  /** What the proxy needs in order to read our files. */
  place: Place;
  written: WriteResult;
}

/** @throws Trouble `no-engine`, `proxy-missing`, `proxy-refuses`, `proxy-lacks`, `needs-root`, `no-include-folder` */
export async function previewInstall(input: PreviewInput): Promise<Prepared> {
  const { site, cwd, env, now } = input;
  const { container, proxy } = site.plan.front;
  const { program, installed } = await runnerOf(placeOf(site), env);
  const written = await writeFiles({ site, out: undefined, cwd, now: now(), dry: true });
  const compose = await composeOf(input, true);
  const place = await installed.placeFor(program, entryOf(placeOf(site)), needsOf(site));
  const { title, words } = programOf(proxy);
  if (place.how === 'refuses')
    throw new Trouble({
      code: 'proxy-refuses',
      message: `${title} does not accept what it is set up with: ${place.why}. Nothing was changed.`,
      remedy: `Fix that first: until then no reload changes anything. It works when this does: ${words.reload({ container })}`,
    });
  if (place.how === 'barred') throw needsRoot(site, place, written.includeLine);
  if (place.how === 'first')
    throw new Trouble({
      code: 'proxy-lacks',
      message: `${title} cannot serve this yet: ${place.why}. Nothing was changed.`,
      remedy: `As root: ${place.steps}. Then run this again`,
    });
  if (place.how === 'by-hand') {
    throw new Trouble({
      code: 'no-include-folder',
      message: `${title} cannot be told where the files are: ${place.why}.`,
      remedy: `First: mile-marker write. Then add this line yourself ${written.includeLine?.where ?? ''}, and run this again: ${written.includeLine?.line ?? ''}`,
    });
  }
  const running = await runningEdition(placeOf(site), input);
  const anew = compose === null || !compose.changed ? [] : [{ ...compose, after: compose.text }];
  return { changes: [...written.changes, ...anew], edition: written.edition, running, place, written };
}

/** The Compose file of a front in a container; null where it runs on this host. */
export async function composeOf(
  { site, cwd }: Pick<PreviewInput, 'site' | 'cwd'>,
  dry: boolean,
): Promise<ComposeResult['file']> {
  if (site.plan.front.container === null) return null;
  return (await writeCompose({ site, folder: site.paths.front, cwd, dry })).file;
}

/** The steps one by one, for whoever may become root only for those that need it. */
function needsRoot(
  { plan, mapFile }: Site,
  { why, path, isRead }: Extract<Place, { how: 'barred' }>,
  include: WriteResult['includeLine'],
): Trouble {
  const { title, words } = programOf(plan.front.proxy);
  const map = `--map ${shellWord(mapFile)}`;
  const line = include?.line ?? '';
  const makes =
    path === null
      ? `as root: add this line ${include?.where ?? ''}: ${line}`
      : `as root: echo ${shellWord(line)} > ${shellWord(path)}`;
  const steps = [
    `mile-marker write ${map}`,
    ...(isRead ? [] : [makes]),
    `as root: ${words.reload({ container: null })}`,
    `mile-marker verify ${map}`,
  ];
  return new Trouble({
    code: 'needs-root',
    message: `Bringing this live needs root: ${why}. ${title} was not touched. Nothing was changed.`,
    remedy: `As root: mile-marker install ${map}\n      Or step by step:\n${steps.map((step) => `      ${step}`).join('\n')}`,
    exitCode: exit.badInput,
  });
}

export function needsOf({ plan }: Site): Needs {
  return { ports: [plan.front.listen.http, plan.front.listen.https], raw: plan.ports.length > 0 };
}

/** The written file that a server is told of. */
export function entryOf({ folder, proxy }: Pick<FrontPlace, 'folder' | 'proxy'>): string {
  return join(folder, 'current', programOf(proxy).renderer?.entry ?? '');
}
