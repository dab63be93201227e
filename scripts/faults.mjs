// Runs every row of the table of faults with real servers, prints what verify said of each, and the two rates: how many faults were found
// with their one rule and nothing else, and of how many installations that are well something was said. Writes docs/faults.md.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const folder = mkdtempSync(join(tmpdir(), 'mile-marker-faults-'));
const { status } = spawnSync(process.execPath, ['node_modules/jest/bin/jest.js', '--silent', 'test/faults-'], {
  stdio: ['ignore', 'ignore', 'inherit'],
  env: { ...process.env, MILE_MARKER_FAULTS: folder },
});
const rows = readdirSync(folder)
  .sort()
  .flatMap((file) => JSON.parse(readFileSync(join(folder, file), 'utf8')));
rmSync(folder, { recursive: true, force: true });

const faults = rows.filter(({ rule }) => rule !== null);
const well = rows.filter(({ rule }) => rule === null);
const found = faults.filter(({ rule, told }) => told.length === 1 && told[0] === rule);
const alarmed = well.filter(({ told }) => told.length > 0);
const escaped = (text) => text.replaceAll('|', '\\|').replaceAll('$', '\\$');
const table = (list) =>
  list
    .map(({ name, told }) => `| ${escaped(name)} | ${told.map((rule) => `\`${rule}\``).join(', ') || 'nothing'} |`)
    .join('\n');
const rates = `${found.length} of ${faults.length} faults found, each with its one rule and nothing else.
${alarmed.length} of ${well.length} installations that are well got an error or a warning.`;
const text = `# Faults that \`verify\` was tried on

A working installation is broken in one way after the other, with real servers: nginx, haproxy, httpd, TLS servers with any certificate,
name servers, containers and a firewall. Of each \`verify\` must name that one thing and nothing else. Installations that are well, however odd, must get
neither an error nor a warning. The rows are data in \`test/faults/rows-*.ts\`; \`npm run faults\` runs them as root and writes this page.

${rates}

## Faults

| what is broken | what was said |
| --- | --- |
${table(faults)}

## Nothing is wrong

| what it is like | what was said |
| --- | --- |
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
for (const { name, told } of rows) console.log(`${told.join(', ') || '-'}\t${name}`);
console.log(rates);
process.exitCode = status ?? 1;
