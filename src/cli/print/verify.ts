import { legNames, type LegName } from '../../core/findings/finding.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { VerifyResult } from '../../use-cases/verify.ts';
import { countFindings, countsInWords, formatFindings } from './findings.ts';
import { plural, style, type Style } from './style.ts';
import { table } from './table.ts';

/** One row a road, one column a leg; the findings under it, each with what to do. */
export function formatVerify(
  { roads, findings }: VerifyResult,
  plan: Plan,
  { width, colour }: { width: number; colour: boolean },
): string {
  const paint = style(colour);
  const display = new Map(plan.roads.map((road) => [road.name, road.display]));
  const isNarrow = width < 100;
  const driven = optional.filter((name) => roads.some(({ legs }) => isDriven(legs, name)));
  const told = driven.filter((name) => !isNarrow || roads.some(({ legs }) => isUnwell(legs, name)));
  const shown = legNames.filter((name) => !optional.includes(name) || told.includes(name));
  const left = driven.filter((name) => !told.includes(name));
  const rest = left.length === 0 ? '' : `${left.join(' and ')}: nothing wrong\n`;
  const head = ['road', ...shown].map((word) => paint.bold(word));
  const rows = roads.map(({ road, legs }) => [
    display.get(road) ?? road,
    ...legs.filter(({ leg }) => shown.includes(leg)).map((leg) => legCell(leg, paint, width)),
  ]);
  const well = roads.filter(({ legs }) =>
    legs.every(({ outcome }) => outcome === 'ok' || outcome === 'skipped'),
  ).length;
  const summary = `${String(well)} of ${plural(roads.length, 'road')} well; ${countsInWords(countFindings(findings))}.\n`;
  const words = findings.length === 0 ? '' : `\n${formatFindings(findings, { width, colour })}`;
  return `${table(head, rows)}${rest}${words}\n${summary}`;
}

/** Legs that not every road has. A column in which nothing was driven only makes the table wide, on a narrow terminal also one that is well. */
const optional: readonly LegName[] = ['access', 'websocket', 'bypass'];

function isDriven(legs: readonly LegResult[], name: LegName): boolean {
  return legs.some(({ leg, outcome }) => leg === name && outcome !== 'skipped');
}

function isUnwell(legs: readonly LegResult[], name: LegName): boolean {
  return legs.some(({ leg, outcome }) => leg === name && outcome !== 'skipped' && outcome !== 'ok');
}

/** The outcome as a word, and in which way when it is not well. On a narrow terminal on two lines. */
export function legCell({ outcome, says }: LegResult, paint: Style, width: number): string {
  const join = width < 110 ? '\n' : ' ';
  switch (outcome) {
    case 'ok':
      return paint.green('ok');
    case 'skipped':
      return paint.dim('-');
    case 'wrong':
      return `${paint.red('wrong:')}${join}${says}`;
    case 'warning':
      return `${paint.yellow('warning:')}${join}${says}`;
    case 'unsure':
      return `${paint.blue('unsure:')}${join}${says}`;
  }
}
