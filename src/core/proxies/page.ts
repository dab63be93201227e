import { differences, type DifferenceId } from './differences.ts';
import { allPrograms } from './programs.ts';

/** docs/proxies.md. */
export function proxiesPage(): string {
  const programs = allPrograms.flatMap(({ title, differs }) => (differs === null ? [] : [{ title, differs }]));
  const ids = Object.keys(differences) as DifferenceId[];
  const rows = ids.map((id) => [differences[id], ...programs.map(({ differs }) => differs[id])]);
  const head = ['', ...programs.map(({ title }) => title)];
  const widths = head.map((name, index) => Math.max(name.length, 3, ...rows.map((cells) => cells[index]?.length ?? 0)));
  const line = (cells: readonly string[]): string =>
    `| ${cells.map((cell, index) => cell.padEnd(widths[index] ?? 0)).join(' | ')} |`;
  return [
    '# Where the proxies differ',
    '',
    'A map means the same on every proxy: tests send each request to all of them and hold what comes back against one verdict. What a server cannot be written out of is here, and nowhere else.',
    '',
    line(head),
    line(widths.map((width) => '-'.repeat(width))),
    ...rows.map(line),
    '',
  ].join('\n');
}
