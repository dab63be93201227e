import { existsSync } from 'node:fs';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { editionsIn, readCurrent, readEdition, readFrontJournal } from '../../../adapters/files/editions.ts';
import { findMap } from '../../../adapters/files/find-map.ts';
import { statePaths } from '../../../adapters/files/state-folder.ts';
import { becameOf, type Became, type Outcome } from '../../../core/live/front-journal.ts';
import { differenceWords, editionDifference, type EditionDifference } from '../../../core/live/edition-difference.ts';
import { planPath, readPlan } from '../../../core/proxies/builtin/renderer.ts';
import type { Live } from '../../../core/live/entries.ts';
import { stateOf } from '../../../core/live/state.ts';
import { saidMark } from '../../../use-cases/live/front-moves.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { sayCutShort } from '../../alone.ts';
import type { CommandContext, Io } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';

interface Options {
  map?: string;
  json?: boolean;
}

const words: Record<Outcome, string> = {
  written: 'written',
  live: 'live',
  silent: 'live last; the front does not answer',
  confirmed: 'was live',
  'not-tested': 'live, not tested',
  returned: 'undone',
  refused: 'refused by the proxy',
  unfinished: 'interrupted',
};

/** Editions outlive a map that was lost; where there is neither, the name is a slip. */
function assertThere(mapFile: string): void {
  if (existsSync(mapFile) || existsSync(statePaths(mapFile).root)) return;
  const remedy = 'Check the path, or make a map: mile-marker init --domain NAME --address ADDRESS';
  throw new Trouble({ code: 'map-not-found', message: `There is no map ${mapFile}.`, remedy, exitCode: exit.badInput });
}

/** Every edition that is there, the newest last, and what became of it. */
export async function runEditions({ map, json }: Options, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  assertThere(mapFile);
  await sayMap(map, mapFile, io);
  await sayCutShort(mapFile, io);
  const { front } = statePaths(mapFile);
  const current = (await readCurrent(front).catch(() => null))?.number ?? null;
  const entries = await readFrontJournal(front);
  const { live } = stateOf(entries);
  const isSilent = live !== null && !(await answers(live, mapFile, io));
  const numbers = await editionsIn(front);
  const plans = await Promise.all(numbers.map((number) => planOf(front, number)));
  const editions = numbers.map((number, index) => {
    const plan = plans[index] ?? null;
    const before = plans[index - 1] ?? null;
    const known = plan !== null && (index === 0 || before !== null);
    return {
      number,
      ...silentWhere(isSilent && number === live?.edition, becameOf(entries, number, live?.edition ?? null)),
      difference: known ? editionDifference(before, plan) : null,
    };
  });
  if (json === true) {
    io.out(jsonDocument('editions', { map: mapFile, current, editions }));
    return;
  }
  if (editions.length === 0) {
    io.err('No edition was written yet.\nnext: mile-marker install\n');
    return;
  }
  io.out(
    table(
      ['edition', 'time (UTC)', 'against the one before', 'outcome'],
      editions.map((one, index) => row({ ...one, isFirst: index === 0 })),
    ),
  );
  const reasons = editions.filter(({ why }) => why !== null && why !== 'undone');
  if (reasons.length > 0) io.out('\n');
  for (const { number, why } of reasons) {
    const first = `${editionNumber(number)}  `;
    io.out(wrap(why ?? '', { width: io.width, first, indent: ' '.repeat(first.length) }));
  }
  io.err('next: to go back to one: mile-marker undo front EDITION\n');
}

/** Whether the front says by its mark that it runs what was confirmed last. */
async function answers({ edition, digest, place }: Live, map: string, { env, now, signal }: Io): Promise<boolean> {
  if (place === null) return false;
  const said = await saidMark({ ...place, map, folder: statePaths(map).front }, { env, now, signal });
  return said?.startsWith(`edition ${editionNumber(edition)} ${digest ?? ''}`) === true;
}

function silentWhere(isSilent: boolean, became: Became): Became {
  return isSilent && became.outcome === 'live' ? { ...became, outcome: 'silent' } : became;
}

/** Null for one of an earlier version, which kept none, and for one that was damaged. */
async function planOf(front: string, number: number): Promise<Plan | null> {
  const { files } = await readEdition(front, number).catch(() => ({ files: [] }));
  return readPlan(files.find(({ path }) => path === planPath)?.content ?? '');
}

function row({
  number,
  at,
  outcome,
  difference,
  isFirst,
}: Became & { number: number; difference: EditionDifference | null; isFirst: boolean }): string[] {
  const time = at === null ? '-' : at.slice(0, 19).replace('T', ' ');
  const differs =
    difference === null ? '-' : isFirst ? plural(difference.added.length, 'road') : differenceWords(difference);
  return [editionNumber(number), time, differs, words[outcome]];
}
