import { setMaxListeners } from 'node:events';
import { exit } from '../../../adapters/trouble.ts';
import { groupedBy } from '../../../core/grouped-by.ts';
import { partName } from '../../../core/plan/parts.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { writeFiles } from '../../../use-cases/live/write.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import type { CaseResult } from '../../../use-cases/rehearsal/job.ts';
import { rehearse, type Rehearsed } from '../../../use-cases/rehearsal/rehearse.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';

export interface RehearseOptions extends OpenOptions {
  all?: boolean;
  verbose?: boolean;
  onLoopback?: boolean;
}

/** Rehearses what the map says now, without writing it. */
export async function runRehearse(options: RehearseOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'rehearsal');
  if (site === null) return;
  setMaxListeners(0, io.signal);
  const edition = await writeFiles({ site, out: undefined, cwd: io.cwd, now: io.now(), dry: true });
  io.progress('rehearsing');
  const rehearsed = await rehearse({
    ...{ site, edition, env: io.env, now: io.now, signal: io.signal },
    onLoopback: options.onLoopback === true,
  }).finally(() => io.progress(''));
  if (options.json === true)
    io.out(jsonDocument('rehearsal', { map: site.mapFile, ...rehearsalAsJson(rehearsed, options) }));
  else io.out(rehearsalWords(rehearsed, options, io));
  io.err(`${endWords(rehearsed, site, io)}Nothing was changed.\n`);
  const { went } = countsOf(rehearsed);
  io.err(went === 0 ? `next: ${programOf(site.plan.front.proxy).words.goLive(site.plan.front)}\n` : nextWrong);
  if (went > 0) setCode(exit.foundWrong);
}

export const nextWrong = 'next: if the map says what you mean, this is a mistake of Mile Marker: please report it\n';

/** @property went how many went not as planned */
export function countsOf({ results, strays }: Rehearsed): { played: number; went: number; untested: number } {
  const untested = results.filter((one) => one.untested !== null).length;
  const went = results.filter(({ differences }) => differences.length > 0).length + strays.length;
  return { played: results.length - untested, went, untested };
}

export function rehearsalAsJson(rehearsed: Rehearsed, { all, verbose }: RehearseOptions): Record<string, unknown> {
  const { how, why, results, strays } = rehearsed;
  const cases =
    all === true || verbose === true ? results : results.filter(({ differences }) => differences.length > 0);
  return { how, why, summary: countsOf(rehearsed), strays, cases };
}

/** One mistake shows in many requests; the first of them tell it. */
const mostOfPart = 3;
const mostParts = 8;

function someOfEach(differing: readonly CaseResult[]): CaseResult[] {
  const counts = new Map<string, number>();
  return differing.filter(({ road, prefix }) => {
    const name = `${road ?? ''} ${prefix ?? ''}`;
    const before = counts.get(name) ?? 0;
    if (!counts.has(name) && counts.size === mostParts) return false;
    counts.set(name, before + 1);
    return before < mostOfPart;
  });
}

/** What differs, part by part; with `--verbose` everything, with `--all` how many of each answer came besides. */
export function rehearsalWords({ results, strays }: Rehearsed, { all, verbose }: RehearseOptions, io: Io): string {
  const paint = style(io.colour.out);
  const differing = results.filter(({ differences }) => differences.length > 0);
  const shown = verbose === true ? results : someOfEach(differing);
  const parts = new Map<string, CaseResult[]>();
  for (const one of shown) {
    const name = placeOf(one);
    parts.set(name, [...(parts.get(name) ?? []), one]);
  }
  const width = Math.max(0, ...shown.map(({ what }) => Math.min(what.length, 44)));
  const lines = [...parts].map(([name, cases]) => {
    const rows = cases.map((one) => caseWords(one, width, io));
    return `${paint.bold(name)}\n${rows.join('')}\n`;
  });
  const more = differing.length - shown.length;
  const rest = more <= 0 ? '' : `and ${plural(more, 'more request')}, listed by --verbose\n`;
  const counts = all === true ? answerTable(results, io.width) : '';
  return counts + lines.join('') + rest + strays.map((words) => `unasked: ${words}\n`).join('');
}

function placeOf({ road, prefix }: CaseResult): string {
  return road === null ? 'strangers and hostile input' : partName(road, prefix ?? '/');
}

/** A blank at which no line breaks. */
const kept = '\u00a0';

/** How many requests each part of a road got, and how often each answer was the planned one. */
function answerTable(results: readonly CaseResult[], width: number): string {
  const rows = [...groupedBy(results, placeOf)].map(([place, own]) => {
    const answers = [...groupedBy(own, answerOf)].sort(([, a], [, b]) => b.length - a.length);
    const counts = answers.map(([answer, { length }]) => `${answer.replaceAll(' ', kept)}${kept}(${String(length)})`);
    return [place, String(own.length), counts.join(', ')];
  });
  return `${table(['road', 'requests', 'answers'], rows, width).replaceAll(kept, ' ')}\n`;
}

/** Of "200 from bird-log:8080" the status: each road has its services. */
function answerOf({ expected, differences, untested }: CaseResult): string {
  if (untested !== null) return 'not played';
  return differences.length > 0 ? 'not as planned' : expected.replace(/^(\d{3}) .*/s, '$1');
}

function caseWords({ what, expected, differences, untested }: CaseResult, width: number, io: Io): string {
  const paint = style(io.colour.out);
  if (differences.length === 0) {
    const said = untested === null ? expected : `not played: ${untested}`;
    return `  ${what.padEnd(width)}  ${said}\n`;
  }
  const rows = differences.map(
    (one) =>
      wrap(one.expected, { width: io.width, first: '      expected  ', indent: '                ' }) +
      wrap(one.got, { width: io.width, first: `      ${paint.red('got')}       `, indent: '                ' }),
  );
  return `  ${what}\n${rows.join('')}`;
}

/** How it was rehearsed, how it went, and what that leaves open. */
export function endWords(rehearsed: Rehearsed, { plan }: Site, { width }: Pick<Io, 'width'>): string {
  const { played, went, untested } = countsOf(rehearsed);
  const { title } = programOf(plan.front.proxy);
  const where = rehearsed.how === 'sealed' ? 'in an isolated network' : 'on loopback';
  const outcome = went === 0 ? 'all as planned' : `${String(went)} not as planned`;
  const reasons = [...new Set(rehearsed.results.flatMap(({ untested: why }) => why ?? []))];
  const rest = untested === 0 ? '' : `${plural(untested, 'request')} not played: ${reasons.join('; ')}. `;
  return (
    wrap(`Rehearsed with ${title} ${where}: ${plural(played, 'request')}, ${outcome}. ${rest}`.trim(), {
      width,
    }) + (rehearsed.how === 'sealed' ? '' : wrap(onLoopbackWords(rehearsed, plan.front.edge !== null), { width }))
  );
}

function onLoopbackWords({ why }: Rehearsed, hasEdge: boolean): string {
  const reason = why === null ? '' : `This machine does not allow an isolated network (${why.replace(/\.$/, '')}). `;
  const edge = hasEdge ? ' The edge was not played.' : '';
  return `${reason}So this used other ports, throwaway certificates and a header for visitors' addresses.${edge}`;
}
