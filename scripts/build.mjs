// Bundles the program into dist/: one small entry and chunks that load on first use, so that `--version` pays for nothing else.
import { readFileSync, rmSync, chmodSync } from 'node:fs';
import { build } from 'esbuild';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'));
rmSync(new URL('../dist', import.meta.url), { recursive: true, force: true });
await build({
  absWorkingDir: new URL('..', import.meta.url).pathname,
  entryPoints: {
    'mile-marker': 'src/cli/bin.ts',
    'people-worker': 'src/builtin/people-worker.ts',
    docs: 'src/cli/docs.ts',
    bench: 'bench/start-up.ts',
  },
  outdir: 'dist',
  bundle: true,
  splitting: true,
  minify: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  chunkNames: 'chunks/[name]-[hash]',
  // The engine's client library can also go through SSH, which costs every start and is not offered here.
  alias: {
    ssh2: './src/adapters/engine/no-ssh.ts',
    // A copy of Node's own streams for older versions of Node.
    'readable-stream': 'node:stream',
    // The same code as modules, of which what nobody uses is left out: half of it, at every start.
    yaml: './node_modules/yaml/browser/dist/index.js',
  },
  define: { MILE_MARKER_VERSION: JSON.stringify(version) },
  // CommonJS packages inside an ESM bundle still call `require` for Node's own modules.
  banner: { js: "import{createRequire as mmRequire}from'node:module';const require=mmRequire(import.meta.url);" },
  logLevel: 'warning',
});
chmodSync(new URL('../dist/mile-marker.js', import.meta.url), 0o755);
