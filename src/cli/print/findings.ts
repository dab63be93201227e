import type { Finding, Severity } from '../../core/findings/finding.ts';
import { plural, style, wrap, type Style } from './style.ts';

/** Findings for people: what is wrong, where, and what to do. */
export function formatFindings(
  findings: readonly Finding[],
  { width, colour }: { width: number; colour: boolean },
): string {
  const paint = style(colour);
  return findings.map((finding) => formatOne(finding, width, paint)).join('\n');
}

function formatOne({ rule, severity, where, message, remedy }: Finding, width: number, paint: Style): string {
  const place = where === null ? '' : `  ${where.file}:${String(where.line)}:${String(where.column)}`;
  const head = `${severityWord(severity, paint)}  ${paint.bold(rule)}${paint.dim(place)}\n`;
  return (
    head +
    wrap(message, { width, first: '    ' }) +
    wrap(remedy, { width, first: `    ${paint.cyan('do:')} `, indent: '        ' })
  );
}

function severityWord(severity: Severity, paint: Style): string {
  switch (severity) {
    case 'error':
      return paint.red('error');
    case 'warning':
      return paint.yellow('warning');
    case 'note':
      return paint.blue('note');
  }
}

export interface Counts {
  errors: number;
  warnings: number;
  notes: number;
}

export function countFindings(findings: readonly Finding[]): Counts {
  const count = (severity: Severity): number => findings.filter((finding) => finding.severity === severity).length;
  return { errors: count('error'), warnings: count('warning'), notes: count('note') };
}

/** "2 errors, 1 warning", or "nothing wrong". */
export function countsInWords({ errors, warnings, notes }: Counts): string {
  const parts = [
    errors > 0 ? plural(errors, 'error') : '',
    warnings > 0 ? plural(warnings, 'warning') : '',
    notes > 0 ? plural(notes, 'note') : '',
  ].filter((part) => part !== '');
  return parts.length === 0 ? 'nothing wrong' : parts.join(', ');
}
