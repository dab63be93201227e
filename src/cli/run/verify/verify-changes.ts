import { keepRun } from '../../../adapters/files/runs.ts';
import { ensureState } from '../../../adapters/files/state-folder.ts';
import { reasonOf } from '../../../adapters/trouble.ts';
import { changesSince, entryOf, newestOf, type Told } from '../../../core/legs/journal.ts';
import { vantageWords } from '../../../core/legs/way/vantage.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { placeAt } from '../../../use-cases/verify/verify-input.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import type { VerifyResult } from '../../../use-cases/verify/verify.ts';
import type { VerifyOptions } from './verify-options.ts';
import type { Io } from '../../io.ts';
import { wrap } from '../../print/style.ts';

/** What came and went since the last run over the whole map. */
export interface Changes {
  last: string;
  come: Told[];
  gone: Told[];
}

/** Whether a run is one over the whole map as visitors see it, which is kept and shown. An address that is the map's own may be named. */
export function isWhole(
  names: readonly string[],
  { at, read, fromAddress }: VerifyOptions,
  { front }: Pick<Plan, 'front'>,
): boolean {
  if (names.length > 0 || read !== undefined || fromAddress !== undefined) return false;
  return at === undefined || [...front.addresses, ...front.home].includes(placeAt(at, { front }).address);
}

/** Why a run over all roads is not kept, where somebody may wonder. */
export function notKept(names: readonly string[], options: VerifyOptions, plan: Plan): string {
  const { at } = options;
  if (names.length > 0 || at === undefined || isWhole([], options, plan)) return '';
  return `Not kept for \`report\` and \`roads --tree\`: ${at} is not an address of the front on the map.\n`;
}

/** Keeps a run over the whole map, and compares it with the one before; null when there is none to compare with. */
export async function noteRun(
  { paths, plan }: Site,
  names: readonly string[],
  options: VerifyOptions,
  { findings, roads, vantage }: VerifyResult,
  io: Io,
): Promise<Changes | null> {
  if (!isWhole(names, options, plan)) return null;
  const at = io.now().toISOString();
  const entry = entryOf(findings, roads, at);
  try {
    await ensureState(paths);
    const before = await keepRun(paths, entry, newestOf(findings, roads, { at, vantage: vantageWords(vantage) }));
    return before === null ? null : { last: before.at, ...changesSince(before, entry) };
  } catch (error) {
    // What was seen is worth more than that it is kept: somebody else may verify this map too.
    io.err(`This run could not be saved for --since and report: ${reasonOf(error)}\n`);
    return null;
  }
}

export function isNews(changes: Changes | null): boolean {
  return changes !== null && changes.come.length + changes.gone.length > 0;
}

export function sinceWords(changes: Changes | null, width: number): string {
  if (changes === null) return 'There is no earlier run over the whole map.\n';
  const when = `${changes.last.slice(0, 16).replace('T', ' ')} UTC`;
  return isNews(changes)
    ? `Since ${when}:\n${changeLines(changes, width)}`
    : `No new and no fixed findings since ${when}.\n`;
}

/** One entry a finding that came or went. */
export function changeLines({ come, gone }: Pick<Changes, 'come' | 'gone'>, width: number): string {
  const line = (word: string, { rule, message }: Told): string =>
    wrap(`${rule}: ${message}`, { width, first: `  ${word}  `, indent: '        ' });
  return [...come.map((one) => line('new  ', one)), ...gone.map((one) => line('fixed', one))].join('');
}
