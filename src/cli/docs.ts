import { readFile, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { findingsPage } from '../core/findings/page.ts';

/** Makes docs/findings.md from the cards; with --check it only says whether the file is what the cards say. */

const path = fileURLToPath(new URL('../docs/findings.md', import.meta.url));
const fresh = findingsPage();
if (process.argv.includes('--check')) {
  const there = await readFile(path, 'utf8').catch(() => '');
  if (there !== fresh) {
    process.stderr.write('docs/findings.md is not what the cards say.\n  do: npm run fix\n');
    process.exitCode = 1;
  }
} else {
  await writeFile(path, fresh);
}
