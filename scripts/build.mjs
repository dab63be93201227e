// Bundles the program into dist/: one small entry and chunks that load on first use, so that `--version` pays for nothing else. All that
// it needs is in there, with the licences of what was taken in. Tools for this tree alone go into dist/dev/.
import { chmodSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
const { version } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
rmSync(join(root, 'dist'), { recursive: true, force: true });

const common = {
  absWorkingDir: root,
  bundle: true,
  splitting: true,
  minify: process.env.MM_PLAIN === undefined,
  metafile: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  charset: 'utf8',
  chunkNames: 'chunks/[name]-[hash]',
  alias: {
    // The same code as modules, of which what nobody uses is left out: half of it, at every start.
    yaml: './node_modules/yaml/browser/dist/index.js',
    // Two packages bring a list of media types each.
    'mime-db': './node_modules/mime-db',
  },
  define: { MILE_MARKER_VERSION: JSON.stringify(version) },
  // CommonJS packages inside an ESM bundle still call `require` for Node's own modules.
  banner: { js: "import{createRequire as mmRequire}from'node:module';const require=mmRequire(import.meta.url);" },
  logLevel: 'warning',
};
// Programs that others of it start, each beside whoever starts it.
const beside = {
  'people-worker': 'src/builtin/people-worker.ts',
  rehearsal: 'src/use-cases/rehearsal/inside-main.ts',
};
const { metafile } = await build({
  ...common,
  entryPoints: { 'mile-marker': 'src/cli/bin.ts', ...beside },
  outdir: 'dist',
});
await build({
  ...common,
  entryPoints: {
    docs: 'src/cli/docs.ts',
    'run-program': 'src/cli/run-program.ts',
    ...beside,
    bench: 'bench/main.ts',
    'smallest-proxy': 'bench/smallest-proxy.ts',
    service: 'bench/service.ts',
    clients: 'bench/clients.ts',
  },
  outdir: 'dist/dev',
});
chmodSync(join(root, 'dist/mile-marker.js'), 0o755);
writeFileSync(join(root, 'dist/THIRD-PARTY-LICENSES.txt'), notices(Object.keys(metafile.inputs)));

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
