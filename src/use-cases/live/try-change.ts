import { cp, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { editionFolder, readLink } from '../../adapters/files/editions.ts';
import { keptPath } from '../../adapters/files/kept-files.ts';
import type { Swap, Tried } from '../../adapters/proxies/adapter.ts';
import type { MadeFile } from '../../core/live/entries.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Change } from './change.ts';
import { runnerOf, type FrontPlace, type World } from './front-moves.ts';

const untested: Tried = { passed: false, output: '', untested: true };

/**
 * The servers' own tests of what they will read, beside all else that they read, before anything of it is there: files that come stand in a copy of their
 * folder, files that change and the edition in the place of what lies there, where nothing that runs sees them.
 */
export async function tryChange(change: Change, world: World): Promise<Tried> {
  const { place, left } = change;
  const scratch = await mkdtemp(join(tmpdir(), 'mile-marker-test-'));
  try {
    const other = left === null ? null : await tryOne(left, change, { scratch, world, isLeft: true });
    if (other !== null && !other.passed && other.untested !== true)
      return {
        passed: false,
        output: `without this map, ${programOf(left?.proxy ?? place.proxy).title} says: ${other.output}`,
      };
    return await tryOne(place, change, { scratch, world, isLeft: false });
  } finally {
    await rm(scratch, { recursive: true, force: true });
  }
}

async function tryOne(
  place: FrontPlace,
  change: Change,
  { scratch, world, isLeft }: { scratch: string; world: World; isLeft: boolean },
): Promise<Tried> {
  const { folder, proxy, container } = place;
  const { program, installed, adapter } = await runnerOf(place, world.env);
  const [current, to] = [await readLink(folder), change.to?.number ?? null];
  // A container is told of no other folder than `current`.
  if (container !== null && (isLeft || current === null || to === null)) return untested;
  const tried = await installed.testWith(program, [
    ...(await foldersAsTheyWillBe(change, proxy, join(scratch, isLeft ? 'left' : 'new'))),
    ...(current === null || to === null || current === to
      ? []
      : [{ of: editionFolder(folder, current), instead: editionFolder(folder, to) }]),
    ...filesAsTheyWillBe(change),
  ]);
  const isAlone = tried.untested === true && !isLeft && adapter !== null && to !== null && current === to;
  if (!isAlone) return tried;
  // Where this machine does not let it be tested like that, it is at least tested by itself.
  const config = join(scratch, 'alone.conf');
  const own = join(folder, 'current');
  await writeFile(config, adapter.standalone({ current: own, runFolder: scratch, user: null }));
  const alone = await adapter.test(program, { config, current: own });
  return alone.passed ? untested : alone;
}

function filesAsTheyWillBe({ replaces, restores, place }: Change): Swap[] {
  return [
    ...replaces.flatMap(({ path, off }) =>
      off === undefined ? [] : [{ of: path, instead: keptPath(place.folder, off.name) }],
    ),
    ...restores.map(({ path, kept }) => ({ of: path, instead: keptPath(place.folder, kept) })),
  ];
}

/** A copy of each folder in which files of this program come or go. */
async function foldersAsTheyWillBe({ makes, removes }: Change, proxy: ProxyName, scratch: string): Promise<Swap[]> {
  const ofThis = (one: MadeFile): boolean => one.proxy === proxy;
  const [come, go] = [makes.filter(ofThis), removes.filter(ofThis)];
  const folders = [...new Set([...come, ...go].map(({ path }) => dirname(path)))];
  const swaps: Swap[] = [];
  for (const [index, of] of folders.entries()) {
    const instead = join(scratch, String(index));
    await cp(of, instead, { recursive: true, verbatimSymlinks: true, preserveTimestamps: true });
    const at = (path: string): string => join(instead, path.slice(of.length));
    for (const { path } of go) if (dirname(path) === of) await rm(at(path), { force: true });
    for (const { path, content } of come) if (dirname(path) === of) await writeFile(at(path), content);
    swaps.push({ of, instead });
  }
  return swaps;
}
