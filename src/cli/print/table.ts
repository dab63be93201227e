import stringWidth from 'string-width';

/** Rows under a heading, columns apart by two blanks, no lines drawn. Cells may hold several lines. */
export function table(head: readonly string[], rows: ReadonlyArray<readonly string[]>): string {
  const cells = [head, ...rows].map((row) => row.map((cell) => cell.split('\n')));
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

function padded(line: string, width: number): string {
  return line + ' '.repeat(width - columnsOf(line));
}

/** What most lines are made of takes one column each; the rest needs tables (Unicode, UAX #11). */
function columnsOf(line: string): number {
  return /^[\x20-\x7e]*$/.test(line) ? line.length : stringWidth(line);
}
