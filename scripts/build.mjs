// Bundles the program into dist/: a small file that is run first, and the program itself in one file, which it loads as it was compiled the last time.
// All that it needs is in there, with the licences of what was taken in. Tools for this tree alone go into dist/dev/.
import { createHash } from 'node:crypto';
import { chmodSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
const { version } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
rmSync(join(root, 'dist'), { recursive: true, force: true });
mkdirSync(join(root, 'dist/dev'), { recursive: true });
writeFileSync(join(root, 'dist/package.json'), '{"type": "commonjs"}\n');
writeFileSync(join(root, 'dist/dev/package.json'), '{"type": "module"}\n');

const common = {
  absWorkingDir: root,
  bundle: true,
  minify: process.env.MM_PLAIN === undefined,
  metafile: true,
  platform: 'node',
  target: 'node20',
  charset: 'utf8',
  alias: {
    // The same code as modules, of which what nobody uses is left out: half of it, at every start.
    yaml: './node_modules/yaml/browser/dist/index.js',
    // Two packages bring a list of media types each.
    'mime-db': './node_modules/mime-db',
  },
  define: { MILE_MARKER_VERSION: JSON.stringify(version) },
  logLevel: 'warning',
};
const commonjs = {
  ...common,
  format: 'cjs',
  define: { ...common.define, 'import.meta.url': 'ownUrl' },
  // The whole of it in ASCII: one byte a character is read without being looked at.
  charset: 'ascii',
  banner: { js: "const ownUrl=require('node:url').pathToFileURL(__filename).href;" },
  // What is run from a script that was compiled before cannot import, only require.
  supported: { 'dynamic-import': false },
};
// Programs that others of it start, each beside whoever starts it.
const beside = {
  'people-worker': 'src/builtin/people-worker.ts',
  rehearsal: 'src/use-cases/rehearsal/inside-main.ts',
};
const { metafile, outputFiles } = await build({
  ...commonjs,
  entryPoints: { program: 'src/cli/bin.ts', core: 'src/core/index.ts', ...beside },
  outdir: 'dist',
  write: false,
});
for (const { path, text } of outputFiles) writeFileSync(path, path.endsWith('/program.js') ? wrapped(text) : text);
const builds = outputFiles.map(({ hash }) => hash).join('');
await build({
  ...common,
  format: 'cjs',
  entryPoints: { 'mile-marker': 'src/cli/start.ts' },
  outdir: 'dist',
  define: {
    ...common.define,
    MILE_MARKER_BUILD: JSON.stringify(createHash('sha256').update(builds).digest('hex').slice(0, 16)),
  },
});
await build({
  ...common,
  format: 'esm',
  splitting: true,
  chunkNames: 'chunks/[name]-[hash]',
  // CommonJS packages inside an ESM bundle still call `require` for Node's own modules.
  banner: { js: "import{createRequire as mmRequire}from'node:module';const require=mmRequire(import.meta.url);" },
  entryPoints: {
    docs: 'src/cli/docs.ts',
    'run-program': 'src/cli/run-program.ts',
    'man-page': 'src/cli/help/man-page.ts',
    ...beside,
    bench: 'bench/main.ts',
    'smallest-proxy': 'bench/smallest-proxy.ts',
    service: 'bench/service.ts',
    clients: 'bench/clients.ts',
    'flood-clients': 'bench/flood-clients.ts',
    'read-yaml': 'bench/read-yaml.ts',
  },
  outdir: 'dist/dev',
});
for (const width of [80, 100]) writeFileSync(join(root, `dist/help-${width}.txt`), await helpText(width));
const { manPage } = await import(new URL('../dist/dev/man-page.js', import.meta.url).href);
writeFileSync(join(root, 'dist/mile-marker.1'), manPage(version));
chmodSync(join(root, 'dist/mile-marker.js'), 0o755);
writeFileSync(join(root, 'dist/THIRD-PARTY-LICENSES.txt'), notices(Object.keys(metafile.inputs)));

/** The program as one function expression, as Node itself wraps a module (Node.js, "The module wrapper"). */
function wrapped(text) {
  return `(function (exports, require, module, __filename, __dirname) {${text}\n})`;
}

/** What `--help` prints, by the program itself. */
async function helpText(width) {
  const { runProgram } = await import(new URL('../dist/dev/run-program.js', import.meta.url).href);
  let text = '';
  const io = {
    out: (part) => (text += part),
    err: () => undefined,
    progress: () => undefined,
    width,
    colour: {},
    signal: new AbortController().signal,
  };
  await runProgram(['--help'], io);
  return text;
}

/** The licence of every package of which something is in the bundle. */
function notices(inputs) {
  const folders = new Set(inputs.flatMap((path) => /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(path)?.[1] ?? []));
  const parts = [...folders].sort().map((folder) => {
    const { name, version: of, license } = JSON.parse(readFileSync(join(root, folder, 'package.json'), 'utf8'));
    const file = readdirSync(join(root, folder)).find((one) => /^(licen[cs]e|copying)/i.test(one));
    const text = file === undefined ? `Licence: ${license}` : readFileSync(join(root, folder, file), 'utf8').trim();
    return `${name} ${of} (${license})\n\n${text}\n`;
  });
  return `Mile Marker contains parts of these packages, each under its own licence.\n\n${parts.join(`\n${'-'.repeat(80)}\n\n`)}`;
}
