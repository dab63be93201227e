import Table from 'cli-table3';

/** Rows under a heading, columns apart by two blanks, no lines drawn. Cells may hold several lines. */
export function table(head: readonly string[], rows: ReadonlyArray<readonly string[]>): string {
  const blank = {
    top: '',
    'top-mid': '',
    'top-left': '',
    'top-right': '',
    bottom: '',
    'bottom-mid': '',
    'bottom-left': '',
    'bottom-right': '',
  };
  const inner = { left: '', 'left-mid': '', mid: '', 'mid-mid': '', right: '', 'right-mid': '', middle: '  ' };
  const made = new Table({
    chars: { ...blank, ...inner },
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
  });
  made.push([...head], ...rows.map((row) => [...row]));
  return `${made
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n')}\n`;
}
