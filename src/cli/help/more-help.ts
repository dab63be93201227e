import type { Command } from 'commander';
import { wrap } from '../print/style.ts';
import { uses, type Uses } from './uses.ts';

/** The words of a command, those of its parents first, without the program's own name. */
export function nameOf(command: Command): string {
  return command.parent === null ? '' : `${nameOf(command.parent)} ${command.name()}`.trim();
}

/** Every exit code that a command ends with, and what it says. */
export function exitCodes({ well, wrong, unable, interrupted }: Uses): Array<[code: number, says: string]> {
  const codes: Array<[number, string | null]> = [
    [0, well],
    [1, wrong],
    [2, 'the map or the command line is wrong'],
    [3, unable ?? 'this machine does not let it'],
    [130, interrupted ?? 'interrupted'],
  ];
  return codes.flatMap(([code, says]) => (says === null ? [] : [[code, says]]));
}

/** Examples and exit codes, for the end of `--help`; empty for a group. */
export function moreHelp(command: Command, width: number): string {
  const use = uses[nameOf(command)];
  if (use === undefined) return '';
  const [indent, beside] = [' '.repeat(6), ' '.repeat(7)];
  const examples = use.examples.map(
    ([line, purpose]) => `  mile-marker ${line}\n${wrap(purpose, { width, first: indent })}`,
  );
  const codes = exitCodes(use).map(([code, says]) =>
    wrap(says, { width, first: `${String(code).padStart(5)}  `, indent: beside }),
  );
  return `\nExamples:\n${examples.join('')}\nExit codes:\n${codes.join('')}`.trimEnd();
}
