import { writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { TestAuthority } from './certificates.ts';
import { run } from './installation.ts';
import type { Row } from './row.ts';

/** One line of the table of faults, as docs/faults.md shows it. */
export interface Seen {
  name: string;
  rule: string | null;
  told: string[];
}

/**
 * A working installation is changed as each row says, and tested with the built program: of a fault it must name that one thing and nothing else, of
 * an installation that is well, however odd, nothing.
 *
 * @param file of the test, under whose name what was seen is kept for the table
 * @param each of how many rows one is tried where not all are
 */
export function testRows(file: string, rows: readonly Row[], each = 3): void {
  const seen: Seen[] = [];
  let authority: TestAuthority;
  beforeAll(async () => {
    authority = await TestAuthority.make();
  });
  afterAll(() => {
    const folder = process.env['MILE_MARKER_FAULTS'];
    if (folder !== undefined) writeFileSync(join(folder, `${basename(file)}.json`), JSON.stringify(seen));
  });
  const all = process.env['MILE_MARKER_FAULTS'] !== undefined;
  test.each((all ? rows : fewer(rows, each)).map((row): [string, Row] => [row.name, row]))('%s', async (name, row) => {
    // What could not be tried counts as not found.
    const { code, findings, err } = await run(row, authority).catch((error: unknown) => {
      seen.push({ name, rule: row.rule, told: ['was not tried'] });
      throw error;
    });
    const told = findings.filter(({ severity }) => severity !== 'note');
    seen.push({ name, rule: row.rule, told: told.map(({ rule }) => rule) });
    const wanted = row.rule === null ? [] : [[row.severity ?? 'error', row.rule]];
    // What was said when nothing was told says why.
    const why = told.length === wanted.length ? '' : err;
    expect({ told: told.map(({ rule, severity }) => [severity, rule]), why }).toEqual({ told: wanted, why: '' });
    expect(told.map(({ message, remedy }) => `${message} ${remedy}`).join()).toContain(row.says ?? '');
    if (row.rule !== null && row.severity !== 'warning') expect(code).toBe(1);
    if (row.rule === null)
      expect(err).toMatch(/Nothing needs doing\.|Nothing wrong was found\.\s+next: test the \d road/);
  });
}

/** Each finding once, and some of the rest; `npm run faults` tries every one. */
function fewer(all: readonly Row[], each: number): Row[] {
  // What takes a minute is for the whole table.
  const rows = all.filter(({ argv = [] }) => !argv.includes('--thorough'));
  const firsts = new Set(
    rows.flatMap(({ rule }, index) =>
      rule === null || rows.findIndex((one) => one.rule === rule) !== index ? [] : [index],
    ),
  );
  return rows.filter((_, index) => firsts.has(index) || index % each === 0);
}
