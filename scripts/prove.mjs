// Proves that a map means the same on every proxy: two hundred random maps and ten thousand random requests on each, ordinary and hostile, held against
// the verdict. Takes about half an hour. `npm run prove -- SEED` does the same again; a disagreement is told with its seed, and the smallest map and
// request that were found to show it.
import { spawnSync } from 'node:child_process';

const seed = process.argv[2] ?? String(Math.floor(Date.now() / 1000));
console.log(`seed ${seed}`);
const { status } = spawnSync(
  process.execPath,
  ['node_modules/jest/bin/jest.js', '--verbose', 'test/random-maps.test.ts'],
  { stdio: 'inherit', env: { ...process.env, PROVE_SEED: seed, PROVE_FRONTS: '10', PROVE_REQUESTS: '1000' } },
);
process.exitCode = status ?? 1;
