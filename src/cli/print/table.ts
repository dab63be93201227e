import stringWidth from 'string-width';
import wrapAnsi from 'wrap-ansi';

/**
 * Rows under a heading, columns apart by two blanks, no lines drawn. Cells may hold several lines.
 *
 * @param width where the last column is wrapped; it never gets fewer than 20 columns
 */
export function table(head: readonly string[], rows: ReadonlyArray<readonly string[]>, width = Infinity): string {
  const cells = [head, ...rows].map((row) => row.map((cell) => cell.split('\n')));
  if (width !== Infinity) wrapLast(cells, width);
  const widths = head.map((_, column) =>
    cells.reduce((most, row) => (row[column] ?? []).reduce((wide, line) => Math.max(wide, columnsOf(line)), most), 0),
  );
  const lines = cells.flatMap((row) => {
    const height = Math.max(...row.map((cell) => cell.length));
    return Array.from({ length: height }, (_, index) =>
      row
        .map((cell, column) => padded(cell[index] ?? '', widths[column] ?? 0))
        .join('  ')
        .trimEnd(),
    );
  });
  return `${lines.join('\n')}\n`;
}

/** Wraps what stands in the last column, in place, at blanks only. */
function wrapLast(cells: string[][][], width: number): void {
  const last = Math.max(0, (cells[0]?.length ?? 1) - 1);
  const before = Array.from({ length: last }, (_, column) =>
    cells.reduce((most, row) => Math.max(most, ...(row[column] ?? []).map(columnsOf)), 0),
  );
  const room = Math.max(20, width - before.reduce((sum, one) => sum + one + 2, 0));
  for (const row of cells)
    row[last] = (row[last] ?? []).flatMap((line) => wrapAnsi(line, room, { hard: false }).split('\n'));
}

function padded(line: string, width: number): string {
  return line + ' '.repeat(width - columnsOf(line));
}

/** What most lines are made of takes one column each; the rest needs tables (Unicode, UAX #11). */
function columnsOf(line: string): number {
  return /^[\x20-\x7e]*$/.test(line) ? line.length : stringWidth(line);
}
