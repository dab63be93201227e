// Runs every row of the table of faults with real servers, as often as said (`npm run faults -- 10`), prints what verify said of each and how often, and
// the two rates: how many faults were found with their one rule and nothing else, and of how many installations that are well something was said.
// Writes docs/faults.md.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const runs = Number(process.argv[2] ?? 1);
if (!Number.isInteger(runs) || runs < 1) throw new Error('expects how often every row is tried: npm run faults -- 10');

/** By name: what must be said, and what was said each time. */
const rows = new Map();
const isRight = ({ rule }, told) => (rule === null ? told.length === 0 : told.length === 1 && told[0] === rule);
const rightOf = (row) => row.told.filter((told) => isRight(row, told)).length;
const sum = (list, of) => list.reduce((total, one) => total + of(one), 0);
const escaped = (text) => text.replaceAll('|', '\\|').replaceAll('$', '\\$');
const words = (told) => told.map((rule) => `\`${rule}\``).join(', ') || 'nothing';
/** What was said, most often first; how often where it was not the same each time. */
const saidOf = ({ told }) => {
  const counts = new Map();
  for (const one of told) counts.set(words(one), (counts.get(words(one)) ?? 0) + 1);
  const list = [...counts].sort((a, b) => b[1] - a[1]);
  return list.length === 1
    ? list[0][0]
    : list.map(([said, count]) => `${said} (${count} of ${told.length})`).join('; ');
};
const table = (list) =>
  list.map((row) => `| ${escaped(row.name)} | ${saidOf(row)} | ${rightOf(row)} of ${row.told.length} |`).join('\n');

/** @param tried how often each row was @returns the two rates */
function writePage(tried) {
  const all = [...rows.values()];
  const faults = all.filter(({ rule }) => rule !== null);
  const well = all.filter(({ rule }) => rule === null);
  const times = tried === 1 ? 'once' : `${tried} times`;
  const rates = `${faults.filter((row) => rightOf(row) === row.told.length).length} of ${faults.length} faults found each time, with their one rule and nothing else (${sum(faults, rightOf)} of ${sum(faults, ({ told }) => told.length)} tries).
${well.filter((row) => rightOf(row) < row.told.length).length} of ${well.length} installations that are well ever got an error or a warning (${sum(well, ({ told }) => told.length) - sum(well, rightOf)} of ${sum(well, ({ told }) => told.length)} tries).`;
  const text = `# Faults that \`verify\` was tried on

A working installation is broken in one way after the other, with real servers: nginx, haproxy, httpd, TLS servers with any certificate,
name servers, containers and a firewall. Of each \`verify\` must name that one thing and nothing else. Installations that are well, however odd, must get
neither an error nor a warning. The rows are data in \`test/faults/rows-*.ts\`; \`npm run faults -- 10\` tries each of them ten times as root and writes this page.
On this page each row was tried ${times}. Raw ports have a table of their own, \`test/raw-faults.test.ts\`.

${rates}

## Faults

| what is broken | what was said | rightly |
| --- | --- | --- |
${table(faults)}

## Nothing is wrong

| what it is like | what was said | rightly |
| --- | --- | --- |
${table(well)}
`;
  writeFileSync('docs/faults.md', text);
  spawnSync(process.execPath, [
    'node_modules/prettier/bin/prettier.cjs',
    '--write',
    '--log-level',
    'warn',
    'docs/faults.md',
  ]);
  return rates;
}

let failed = 0;
let rates = '';
for (let run = 0; run < runs; run += 1) {
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-faults-'));
  const { status } = spawnSync(process.execPath, ['node_modules/jest/bin/jest.js', '--silent', 'test/faults-'], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, MILE_MARKER_FAULTS: folder },
  });
  if (status !== 0) failed += 1;
  for (const file of readdirSync(folder).sort())
    for (const { name, rule, told } of JSON.parse(readFileSync(join(folder, file), 'utf8'))) {
      const row = rows.get(name) ?? { name, rule, told: [] };
      row.told.push(told);
      rows.set(name, row);
    }
  rmSync(folder, { recursive: true, force: true });
  // Of many runs each leaves the page as it is then: who breaks off keeps what was seen.
  rates = writePage(run + 1);
}

for (const row of rows.values()) console.log(`${saidOf(row)}\t${row.name}`);
console.log(rates);
process.exitCode = failed > 0 ? 1 : 0;
