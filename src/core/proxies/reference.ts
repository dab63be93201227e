import { differences, type DifferenceId } from './differences.ts';
import { allPrograms } from './programs.ts';

/** docs/proxies.md. */
export function proxiesPage(): string {
  const programs = allPrograms.flatMap(({ title, differs }) => (differs === null ? [] : [{ title, differs }]));
  const ids = Object.keys(differences) as DifferenceId[];
  const versions = allPrograms.flatMap((program) =>
    program.versions === null ? [] : [[program.title, program.versions.lowest, program.versions.newest]],
  );
  return [
    '# Where the proxies differ',
    '',
    'A map means the same on every proxy: tests send each request to all of them and hold what comes back against one verdict. These differences cannot be configured away.',
    '',
    'Each list shows what one server does. Where most of them do the same, the lists have the same line.',
    '',
    ...programs.flatMap(({ title, differs }) => [
      `## ${title}`,
      '',
      ...ids.map((id) => `- ${differences[id]}: **${differs[id]}**`),
      '',
    ]),
    '## Versions',
    '',
    'The oldest version that the files are written for, and the newest that the tests have run on. An older one is an error of `check`.',
    '',
    ...table(['', 'from', 'tried up to'], versions),
    '',
  ].join('\n');
}

/** As the formatter of this tree has it. */
function table(head: readonly string[], rows: ReadonlyArray<readonly string[]>): string[] {
  const widths = head.map((name, index) => Math.max(name.length, 3, ...rows.map((cells) => cells[index]?.length ?? 0)));
  const line = (cells: readonly string[]): string =>
    `| ${cells.map((cell, index) => cell.padEnd(widths[index] ?? 0)).join(' | ')} |`;
  return [line(head), line(widths.map((width) => '-'.repeat(width))), ...rows.map(line)];
}
