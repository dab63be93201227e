import { dirname } from 'node:path';
import { findMap } from '../../../adapters/files/find-map.ts';
import { tryLock } from '../../../adapters/files/lock.ts';
import { statePaths, type StatePaths } from '../../../adapters/files/state-folder.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { fill } from '../../../core/findings/card.ts';
import type { RoadChange } from '../../../core/follow/changes.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { notObeyedWords } from '../../../core/rules/roads/labels.ts';
import type { Followed } from '../../../use-cases/follow/followed.ts';
import { follow } from '../../../use-cases/follow/follow.ts';
import { EnginesSource } from '../../../use-cases/follow/engines-source.ts';
import { FoundSource } from '../../../use-cases/follow/found-source.ts';
import { assertInstalled, KeptFront } from '../../../use-cases/follow/kept-front.ts';
import { handOver } from '../../../use-cases/follow/hand-over.ts';
import { loadSite } from '../../../use-cases/map/load.ts';
import type { CommandContext, Io } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { countFindings, countsInWords, formatFindings } from '../../print/findings.ts';
import { plural, wrap } from '../../print/style.ts';

export interface FollowOptions {
  map?: string;
  half?: 'engine' | 'front';
}

/** Runs until Ctrl-C, and says what it saw and did, a line each. */
export async function runFollow(options: FollowOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const mapFile = await findMap({ option: options.map, cwd: io.cwd, env: io.env });
  const paths = statePaths(mapFile);
  await sayMap(options.map, mapFile, io);
  const say = (words: string): void => io.err(lineOf(words, io));
  if (options.half === 'engine') {
    io.err('Recording what the container engine reports. Ctrl-C stops.\n');
    const source = new EnginesSource(dirname(mapFile), io.env);
    const told = (said: Followed): void => sayAll(said, io, say);
    const letGo = await tryLock(paths, 'mile-marker follow --half engine', paths.finding);
    if (letGo === null) throw runsAlready(paths.finding);
    await handOver({ mapFile, paths, source, now: io.now, say: told, signal: io.signal }).finally(letGo);
    return;
  }
  const giveBack = await tryLock(paths, 'mile-marker follow', paths.following);
  if (giveBack === null) throw runsAlready(paths.following);
  try {
    await keepUpToDate(options, { mapFile, paths, say }, context);
  } finally {
    await giveBack();
  }
}

interface Followable {
  mapFile: string;
  paths: StatePaths;
  say: (words: string) => void;
}

async function keepUpToDate(
  options: FollowOptions,
  { mapFile, paths, say }: Followable,
  { io }: CommandContext,
): Promise<void> {
  const site = await loadSite(options.map, io, { heard: { engine: null, machines: new Map() } });
  // After a reboot nobody is there to repair a map: the front goes on with what it has, and what is wrong is said.
  if (site.map !== null) await assertInstalled(site);
  const halved = options.half === 'front';
  const source = halved ? new FoundSource(paths.found, paths.finding) : new EnginesSource(dirname(mapFile), io.env);
  const front = new KeptFront({
    ...{ env: io.env, now: io.now, signal: io.signal, cwd: io.cwd },
    onWait: (command) => say(`waiting for \`${command}\`, which is changing the same files`),
    onSettled: say,
  });
  const engine = halved ? 'the file of the other half' : 'the container engine';
  io.err(`Following ${engine}, the map and its files. Ctrl-C stops.\n`);
  const told = (said: Followed): void => sayAll(said, io, say);
  await follow({ mapFile, place: io, source, front, now: io.now, say: told, signal: io.signal });
}

function runsAlready(file: string): Trouble {
  return new Trouble({
    code: 'follow-runs',
    message: '`mile-marker follow` is already running for this map, or its state folder is not writable.',
    remedy: `Its process: cat ${file}. With systemd: systemctl status mile-marker`,
    exitCode: exit.badInput,
  });
}

function sayAll(said: Followed, io: Io, say: (words: string) => void): void {
  for (const line of wordsOf(said, io)) say(line);
}

/** One line each. */
function wordsOf(said: Followed, io: Io): string[] {
  switch (said.kind) {
    case 'first':
      return [`${plural(said.roads, 'road')}: edition ${editionNumber(said.edition)} is live`];
    case 'live':
      return liveWords(said);
    case 'seen':
      return shortened(said.changes);
    case 'not-live':
      return [
        ...said.changes.map((change) => `${changeWords(change)}: not live yet`),
        `${said.problem} do: ${said.remedy}`,
      ];
    case 'left':
      return [
        `edition ${editionNumber(said.edition)} is live: nobody keeps up with container addresses now, so these answer 502 until \`follow\` runs again: ${fill('{roads}', { roads: said.roads })}`,
      ];
    case 'certificates':
      return [said.what];
    case 'map-read':
      return ['the map is valid again'];
    case 'map-refused': {
      const counts = countsInWords(countFindings(said.findings));
      const findings = formatFindings(said.findings, { width: io.width, colour: io.colour.err });
      return [`the map changed, but has ${counts}; the map from before stays live\n${findings.trimEnd()}`];
    }
    case 'label':
      return [notObeyedWords(said.label, said.labels)];
    case 'found':
      return [`found ${plural(said.containers, 'container')}`];
    case 'away':
      return [`${onMachine(said.machine)}${said.problem} The roads stay as they are.`];
    case 'back':
      return [`${onMachine(said.machine)}the container engine answers again`];
  }
}

/** For a journal one line with the whole time; for a person at a terminal the time of day, and lines that fit. */
function lineOf(words: string, { now, ask, width }: Io): string {
  const time = now();
  const at = time.toISOString();
  if (ask === null) return `${at} ${words}\n`;
  const [first = '', ...rest] = words.split('\n');
  const line = wrap(first, { width, first: `${time.toTimeString().slice(0, 8)} `, indent: '         ' });
  return `${line}${rest.map((one) => `${one}\n`).join('')}`;
}

function onMachine(machine: string): string {
  return machine === '' ? '' : `${machine}: `;
}

function liveWords({ changes, edition, afterMs }: Extract<Followed, { kind: 'live' }>): string[] {
  const lines = changes.length === 0 ? ['something for visitors changed'] : shortened(changes);
  const end = `; edition ${editionNumber(edition)} is live after ${String(afterMs)} ms`;
  return lines.map((line, index) => (index === lines.length - 1 ? `${line}${end}` : line));
}

/** A line each, of many the first ones. */
function shortened(changes: readonly RoadChange[]): string[] {
  const shown = changes.slice(0, 20).map(changeWords);
  const rest = changes.length - shown.length;
  return rest > 0 ? [...shown, `and ${plural(rest, 'road')} more`] : shown;
}

function changeWords(change: RoadChange): string {
  switch (change.kind) {
    case 'new': {
      const by = change.fromLabel === null ? '' : `, by the label of ${change.fromLabel}`;
      return `${change.road}: new, leads to ${change.to}${by}`;
    }
    case 'gone':
      return `${change.road}: gone`;
    case 'moved':
      return `${change.road}: now leads to ${change.to}, before to ${change.from}`;
    case 'lost':
      return `${change.road}: leads nowhere, so visitors get 502 (${change.why})`;
    case 'found':
      return `${change.road}: leads to ${change.to} again`;
    case 'stopped':
      return `${change.road}: ${change.service} has stopped, so visitors get 502`;
    case 'started':
      return `${change.road}: ${change.service} runs again`;
    case 'changed':
      return `${change.road}: changed on the map`;
  }
}
