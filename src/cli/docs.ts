import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { documentSchemas } from '../core/documents/documents.ts';
import { findingsPage } from '../core/findings/page.ts';
import { mapPage } from '../core/map/reference.ts';
import { commandsPage } from './help/commands-page.ts';
import { proxiesPage } from '../core/proxies/reference.ts';
import { mapJsonSchema } from '../core/map/schema/json-schema.ts';

/** Makes the generated pages of docs/; with --check it only says which of them are not what the source says. */

const pages: Record<string, string> = {
  'commands.md': commandsPage(),
  'findings.md': findingsPage(),
  'map.md': mapPage(),
  'proxies.md': proxiesPage(),
  'map.schema.json': `${JSON.stringify(mapJsonSchema(), null, 2)}\n`,
  ...Object.fromEntries(
    Object.entries(documentSchemas()).map(([file, schema]) => [
      `documents/${file}`,
      `${JSON.stringify(schema, null, 2)}\n`,
    ]),
  ),
};
for (const [name, fresh] of Object.entries(pages)) {
  const path = fileURLToPath(new URL(`../../docs/${name}`, import.meta.url));
  if (!process.argv.includes('--check')) {
    await mkdir(dirname(path), { recursive: true });
    await writeFile(path, fresh);
  } else if ((await readFile(path, 'utf8').catch(() => '')) !== fresh) {
    process.stderr.write(`docs/${name} is not what the source says.\n  do: npm run fix\n`);
    process.exitCode = 1;
  }
}
