import { messageOf } from '../../core/findings/card.ts';
import { legNames, type LegName } from '../../core/findings/finding.ts';
import { labelOf } from '../../core/legs/label.ts';
import { countStandings, type LegResult } from '../../core/legs/leg.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { VerifyResult } from '../../use-cases/verify/verify.ts';
import { countFindings, countsInWords, formatFindings } from './findings.ts';
import { plural, style, wrap, type Style } from './style.ts';
import { table } from './table.ts';

/** One row a road, one column a leg; the findings under it, each with what to do. */
export function formatVerify(
  { roads, findings, away }: VerifyResult,
  plan: Plan,
  { width, colour, verbose }: { width: number; colour: boolean; verbose: boolean },
): string {
  const paint = style(colour);
  const display = new Map(plan.roads.map((road) => [road.name, road.display]));
  const isNarrow = width < 100;
  const tested = optional.filter((name) => roads.some(({ legs }) => isTested(legs, name)));
  const told = tested.filter((name) => !isNarrow || roads.some(({ legs }) => isUnwell(legs, name)));
  const shown = legNames.filter((name) => !optional.includes(name) || told.includes(name));
  const left = tested.filter((name) => !told.includes(name));
  const rest = left.length === 0 ? '' : `${left.join(' and ')}: nothing wrong\n`;
  const dashes = skippedWords(roads, shown, width);
  const head = ['road', ...shown].map((word) => paint.bold(word));
  const rows = roads.map(({ road, legs }) => [
    display.get(road) ?? road,
    ...legs.filter(({ leg }) => shown.includes(leg)).map((leg) => legCell(leg, paint, width)),
  ]);
  const { well, untested } = countStandings(roads);
  const open = untested === 0 ? '' : `, ${String(untested)} not tested completely`;
  const counts = countsInWords(countFindings(findings));
  const what = `${plural(roads.length, 'road')}${plan.ports.length > 0 ? ' and raw ports' : ''}`;
  const summary = `${String(well)} of ${what} ${roads.length === 1 ? 'works' : 'work'}${open}; ${counts}.\n`;
  const words = findings.length === 0 ? '' : `\n${formatFindings(findings, { width, colour })}`;
  const follows = verbose && findings.length > 0 ? followsFrom(away, width) : '';
  return `${table(head, rows)}${rest}${dashes}${words}${follows}\n${summary}`;
}

/** What the findings cause, which is not listed among them. */
function followsFrom(away: VerifyResult['away'], width: number): string {
  if (away.length === 0) return '\nNo other finding is caused by these.\n';
  const lines = away.map(({ road, by, problem: { card, say, data } }) => {
    const message = messageOf(card, say, { ...data, names: road });
    return wrap(`${card.id}: ${message} Caused by ${by}.`, { width, first: '  ', indent: '    ' });
  });
  return `\nCaused by the findings above:\n${lines.join('')}`;
}

/** What the dashes of the table stand for. */
function skippedWords(roads: VerifyResult['roads'], shown: readonly LegName[], width: number): string {
  const whys = shown.flatMap((name) => {
    const skipped = roads.flatMap(({ legs }) =>
      legs.filter(({ leg, outcome }) => leg === name && outcome === 'skipped'),
    );
    const reasons = [...new Set(skipped.map(labelOf))];
    return reasons.length === 0 ? [] : [`${name} (${reasons.join(', ')})`];
  });
  return whys.length === 0 ? '' : wrap(`- not tested: ${whys.join('; ')}`, { width, indent: '  ' });
}

/** Legs that not every road has. A column in which nothing was tested only makes the table wide, on a narrow terminal also one that is well. */
const optional: readonly LegName[] = ['access', 'websocket', 'bypass'];

function isTested(legs: readonly LegResult[], name: LegName): boolean {
  return legs.some(({ leg, outcome }) => leg === name && outcome !== 'skipped');
}

function isUnwell(legs: readonly LegResult[], name: LegName): boolean {
  return legs.some(({ leg, outcome }) => leg === name && outcome !== 'skipped' && outcome !== 'ok');
}

/** The outcome as a word, and in which way when it is not well. On a narrow terminal on two lines. */
export function legCell(result: LegResult, paint: Style, width: number): string {
  const { outcome, kind } = result;
  const says = labelOf(result);
  const join = width < 110 ? '\n' : ' ';
  switch (outcome) {
    case 'ok':
      return kind === 'paused' ? paint.dim('paused') : paint.green('ok');
    case 'skipped':
      return paint.dim('-');
    case 'untested':
      return `${paint.blue('not tested:')}${join}${says}`;
    case 'wrong':
      return `${paint.red('wrong:')}${join}${says}`;
    case 'warning':
      return `${paint.yellow('warning:')}${join}${says}`;
    case 'unsure':
      return `${paint.blue('unsure:')}${join}${says}`;
  }
}
