import { markText, noteFront, readEdition, readLink, switchEdition } from '../../adapters/files/editions.ts';
import { startsAtBoot } from '../../adapters/host/boot.ts';
import { holdConnections } from '../../adapters/host/held-connections.ts';
import { isListening } from '../../adapters/host/sockets.ts';
import { planOf } from './what-runs.ts';
import { until } from '../../adapters/processes/until.ts';
import { waitForMark } from '../../adapters/processes/wait-for-mark.ts';
import { markPatienceMs, type Reloading, type Tried } from '../../adapters/proxies/adapter.ts';
import { reasonOf } from '../../adapters/trouble.ts';
import type { Replaced } from '../../core/live/entries.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { entryOf, type Change } from './change.ts';
import { clearKept, toNewEdition, toNewFiles, toOldDisk } from './disk.ts';
import { bring, runnerOf, saidMark, type FrontPlace, type World } from './front-moves.ts';

/**
 * The one way in which what is live is changed, for every proxy and place, forward and back. The steps, in their order: the journal is told; the old proxy
 * reads nothing of ours any more; `current` leads to the new edition; the old front, where it is another one, gives way; what the new proxy reads is put
 * there; it is told or started; its mark is waited for. Each step may be done again, and the reverse of all of them restores the disk byte for byte.
 */

const stamp = ({ now }: World): string => now().toISOString();

/** From here on the change must be ended, whatever comes. Where nothing of ours was read by anybody, `current` leads to the new edition at once. */
export async function begin(change: Change, world: World): Promise<void> {
  const { place, to } = change;
  await noteFront(place.folder, entryOf(change, stamp(world)));
  if (to !== null && (await readLink(place.folder)) === null) await switchEdition(place.folder, to, stamp(world));
}

/** @param how the new state was tested already @returns why the new front does not run, whatever came in between; null when it does */
export function carryOut(change: Change, world: World, how: Reloading): Promise<string | null> {
  return inSteps(change, world, how).catch((error: unknown) => reasonOf(error).replace(/\.$/, ''));
}

async function inSteps(change: Change, world: World, how: Reloading): Promise<string | null> {
  const { place, left, to } = change;
  await toNewEdition(change, world);
  const told = left === null ? await tell(change, world, how) : await handOver({ ...change, left }, world, how);
  if (told !== null || to === null) return told;
  await noteFront(place.folder, { event: 'reloaded', at: stamp(world), edition: to.number });
  return untilMark(place, markText(to), world);
}

/** Between the one that listens no more and the one that listens next, new connections wait. */
async function handOver(change: Change & { left: FrontPlace }, world: World, how: Reloading): Promise<string | null> {
  const { left, place, from, to } = change;
  // One that was started for it ends with it, unless the machine starts it, too: it may serve others by now.
  const ends = from?.started === true && left.container === null && startsAtBoot(left.proxy) !== true;
  const listen = planOf(to?.files ?? [])?.front.listen;
  const isHere = left.container === null && place.container === null && listen !== undefined;
  const release = isHere ? await holdConnections([listen.http, listen.https]) : null;
  try {
    return (await giveWay(left, world, ends)) ?? (await tell(change, world, how));
  } finally {
    await release?.();
  }
}

/** What the new proxy reads is put there, and it is told or started; without a new edition the old one goes on without ours. */
async function tell(change: Change, world: World, how: Reloading): Promise<string | null> {
  await toNewFiles(change);
  if (change.to === null) return withoutOurs(change.place, world);
  const brought = await bring(change.place, world, how);
  return brought.passed ? null : brought.output;
}

/** The old front listens no more, and ends what it has begun. */
async function giveWay(left: FrontPlace, world: World, ends: boolean): Promise<string | null> {
  const gone = await (ends ? end(left, world) : leave(left, world));
  if (!gone.passed) return `${programOf(left.proxy).title} cannot be stopped: ${gone.output}`;
  await noteFront(left.folder, { event: 'stopped', at: stamp(world), proxy: left.proxy });
  if (left.container !== null) return null;
  // One that says it has gone may hold its ports a moment longer.
  const isFree = await until(() => isListening(left.mark.port) !== true, { withinMs: markPatienceMs, everyMs: 5 });
  return isFree ? null : `${programOf(left.proxy).title} still listens on port ${String(left.mark.port)}`;
}

async function end(place: FrontPlace, { env }: World): Promise<Tried> {
  const { program, installed } = await runnerOf(place, env);
  // What is part of this program ends by itself while the other one starts already.
  return installed.isOwn ? leave(place, { env }) : installed.stop(program);
}

async function leave(place: FrontPlace, { env }: Pick<World, 'env'>): Promise<Tried> {
  const { program, installed } = await runnerOf(place, env);
  if (installed.leave !== undefined) return installed.leave(program);
  if (installed.isOwn) return installed.stop(program);
  const { stopped, ...reloaded } = await installed.reload(program);
  // One that does not run serves nothing of ours already.
  return stopped === true ? { passed: true, output: '' } : reloaded;
}

/** The proxy goes on without our files, or ends where it runs nothing else. */
async function withoutOurs(place: FrontPlace, world: World): Promise<string | null> {
  const gone = await leave(place, world);
  if (!gone.passed) return gone.output;
  const isGone = async (): Promise<boolean> => (await saidMark(place, world)) === null;
  return (await until(isGone, { withinMs: markPatienceMs, everyMs: 100 })) ? null : 'it is still running';
}

async function untilMark(place: FrontPlace, mark: string, world: World): Promise<string | null> {
  const ask = (): Promise<string | null> => saidMark(place, world);
  try {
    await waitForMark({ ...place.mark, ask, mark, withinMs: markPatienceMs, signal: world.signal });
    return null;
  } catch (error) {
    const { program, installed } = await runnerOf(place, world.env);
    const said = (await installed.lastError?.(program)) ?? null;
    return `${reasonOf(error).replace(/\.$/, '')}${said === null ? '' : `. It said last: ${said.replace(/\.$/, '')}`}`;
  }
}

/**
 * How a change was taken back.
 *
 * @property stuck why the disk is not as it was; the next command that changes something goes on with it
 * @property silent the disk is as it was, and the front, which answered before, does not: why
 * @property left files that somebody changed meanwhile, so that they stay as they are
 */
export interface Back {
  stuck: string | null;
  silent: string | null;
  left: readonly Replaced[];
}

/** Everything as it was before: the disk byte for byte, then the fronts. Told to the journal once the disk is. */
export async function takeBack(change: Change, why: string, world: World): Promise<Back> {
  let left: Replaced[];
  try {
    left = await toOldDisk(change, world);
  } catch (error) {
    return { stuck: reasonOf(error).replace(/\.$/, ''), silent: null, left: [] };
  }
  const silent = await frontsBack(change, world).catch((error: unknown) => reasonOf(error));
  const { place, to, from } = change;
  const ends = { from: to?.number ?? null, to: from?.edition ?? null, why };
  try {
    await noteFront(place.folder, { event: 'returned', at: stamp(world), ...ends });
  } catch (error) {
    return { stuck: reasonOf(error).replace(/\.$/, ''), silent, left };
  }
  await clearKept(change.replaces, place.folder).catch(() => undefined);
  return { stuck: null, silent: silent?.replace(/\.$/, '') ?? null, left };
}

/** A front that did not run before does not run afterwards; one that answered is waited for. @returns why it does not answer */
async function frontsBack(change: Change, world: World): Promise<string | null> {
  const { place, left, was, from } = change;
  const { program, installed } = await runnerOf(place, world.env);
  if (!was.ran || (left !== null && installed.isOwn)) {
    const ended = await installed.stop(program);
    if (!ended.passed) return ended.output;
  } else if (left !== null || from === null) {
    const gone = await leave(place, world);
    if (!gone.passed) return gone.output;
  }
  const before = left ?? place;
  if (from === null || (left === null && !was.ran)) return null;
  const brought = was.answered ? await bring(before, world) : await told(before, world);
  if (!brought.passed) return brought.output;
  if (!was.answered) return null;
  const { number, digest } = await readEdition(before.folder, from.edition);
  return untilMark(before, markText({ number, digest }), world);
}

/** One that did not answer before is told all the same, and not started. */
async function told(place: FrontPlace, { env }: World): Promise<Tried> {
  const { program, installed } = await runnerOf(place, env);
  const { stopped, ...reloaded } = await installed.reload(program);
  return stopped === true ? { passed: true, output: '' } : reloaded;
}
