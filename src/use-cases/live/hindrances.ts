import { Trouble, exit } from '../../adapters/trouble.ts';
import { ownFiles } from '../../adapters/files/identity.ts';
import { join } from 'node:path';
import type { Place } from '../../adapters/proxies/adapter.ts';
import type { MadeFile } from '../../core/live/entries.ts';
import type { ServerBlock } from '../../core/proxies/server-block.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { shellWord } from '../../core/shell-word.ts';
import type { Site } from '../map/load.ts';
import { runnerOf, type FrontPlace, type World } from './front-moves.ts';
import { entryOf, needsOf } from './needs.ts';
import type { WriteResult } from './write.ts';

/** One thing that keeps a map from going live. @property code of the trouble that says it */
interface Hindrance {
  code: string;
  message: string;
  remedy: string;
  exitCode?: 2 | 3;
}

interface HindranceInput {
  site: Site;
  reads: Place;
  written: WriteResult;
  left: FrontPlace | null;
  made: readonly MadeFile[];
  /** Paths of files in which what is in the way is switched off. */
  switched: readonly string[];
}

/**
 * All that keeps a map from going live, said at once and before anything that runs is touched.
 *
 * @throws Trouble `proxy-refuses`, `proxy-lacks`, `needs-root`, `no-include-folder`, `port-kept`, `include-by-hand`
 */
export async function assertNoHindrance(input: HindranceInput, world: World): Promise<void> {
  const { site, reads, written, left } = input;
  const found = [
    ...hindrancesOf(site, reads, written.includeLine),
    ...(left === null ? [] : await ofLeft({ ...input, left }, world)),
  ];
  const [first, ...others] = found;
  if (first === undefined) return;
  const more = others.map(({ message, remedy }) => `\n${message}\n  do: ${remedy}`);
  throw new Trouble({
    code: first.code,
    message: first.message,
    remedy: `${first.remedy}${more.join('')}`,
    ...(first.exitCode === undefined ? {} : { exitCode: first.exitCode }),
  });
}

function hindrancesOf(site: Site, place: Place, includeLine: WriteResult['includeLine']): Hindrance[] {
  const { container, proxy } = site.plan.front;
  const { title, words } = programOf(proxy);
  switch (place.how) {
    case 'read':
    case 'file':
      return [];
    case 'refuses':
      return [
        {
          code: 'proxy-refuses',
          message: `${title} does not accept its configuration: ${place.why}. Nothing was changed.`,
          remedy: `Fix that first: until then no reload has any effect. It is fixed when this works: ${words.reload({ container })}`,
        },
      ];
    case 'barred':
      return [needsRoot(site, place, includeLine)];
    case 'first':
      return [
        {
          code: 'proxy-lacks',
          message: `${title} cannot serve this yet: ${place.why}. Nothing was changed.`,
          remedy: `As root: ${place.steps}. Then run this again`,
        },
      ];
    case 'by-hand':
      return [
        {
          code: 'no-include-folder',
          message: `${title} cannot be told where the files are: ${place.why}.`,
          remedy: `First: mile-marker write. Then add this line yourself ${includeLine?.where ?? ''}, and run this again: ${includeLine?.line ?? ''}`,
        },
      ];
  }
}

/** The steps one by one, for whoever may become root only for those that need it. */
function needsRoot(
  { plan, mapFile }: Site,
  { why, path, isRead }: Extract<Place, { how: 'barred' }>,
  include: WriteResult['includeLine'],
): Hindrance {
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
  return {
    code: 'needs-root',
    message: `Making this live needs root: ${why}. ${title} was not touched. Nothing was changed.`,
    remedy: `As root: mile-marker install ${map}\n      Or step by step:\n${steps.map((step) => `      ${step}`).join('\n')}`,
    exitCode: exit.badInput,
  };
}

/** What keeps the front that runs from giving its ports to another one. */
async function ofLeft(
  { site, left, made, switched }: HindranceInput & { left: FrontPlace },
  { env }: World,
): Promise<Hindrance[]> {
  const { program, installed, adapter } = await runnerOf(left, env);
  if (adapter === null || !(await installed.runs(program))) return [];
  const { title } = programOf(left.proxy);
  const own = ownFiles(site.plan.identity, site.paths);
  const served = await adapter.served(env, own);
  const { listen } = site.plan.front;
  const ports = [listen.http, listen.https];
  const isKept = ({ file, listens }: ServerBlock): boolean =>
    !switched.includes(file) && listens.some((port) => ports.includes(port));
  const kept = served.blocks.filter(isKept);
  const by = (await installed.listensBy?.(program, ports, own)) ?? [];
  const listening = by.filter((file) => !switched.includes(file));
  const others = [
    ...new Set(kept.map(({ file, line, names }) => `${names[0] ?? 'a server'} (${file}:${String(line)})`)),
  ];
  const [first] = kept;
  const holds =
    first === undefined
      ? []
      : [
          {
            code: 'port-kept',
            message: `${title} uses the ports of this map for other names, so ${programOf(site.plan.front.proxy).title} cannot have them: ${others.join(', ')}. Nothing was changed.`,
            remedy: `Put these names on the map, or give them another port in ${first.file}. Then run this again`,
          },
        ];
  return [
    ...holds,
    ...ofListening(listening, ports, title),
    ...(await ofLine({ site, left, made }, { program, installed })),
  ];
}

/** Lines by which a server listens, whatever it serves there. */
function ofListening(files: readonly string[], ports: readonly number[], title: string): Hindrance[] {
  if (files.length === 0) return [];
  return [
    {
      code: 'port-kept',
      message: `${title} would keep listening on port ${ports.join(' or ')} by ${files.join(', ')}. Nothing was changed.`,
      remedy: `Have those lines switched off in the same step, which \`mile-marker undo front\` restores: mile-marker install ${files.map((file) => `--replace ${shellWord(file)}`).join(' ')}`,
    },
  ];
}

/** A line that a person wrote would lead into files of another program. */
async function ofLine(
  { site, left, made }: { site: Site; left: FrontPlace; made: readonly MadeFile[] },
  { program, installed }: Pick<Awaited<ReturnType<typeof runnerOf>>, 'program' | 'installed'>,
): Promise<Hindrance[]> {
  const { title, renderer, limits } = programOf(left.proxy);
  if (limits.readsFolder || made.some(({ proxy }) => proxy === left.proxy)) return [];
  const { how } = await installed.placeFor(program, entryOf(left), needsOf(site));
  if (how !== 'read') return [];
  const line = renderer?.includeLine({ current: join(site.paths.front, 'current') })?.line ?? '';
  return [
    {
      code: 'include-by-hand',
      message: `${title} reads these files by a line that \`mile-marker install\` did not add, so it cannot remove it. Nothing was changed.`,
      remedy: `Remove it, without a reload: ${line}, then run this again`,
    },
  ];
}
