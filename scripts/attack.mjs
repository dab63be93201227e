// Tries all that docs/security.md lists, on every proxy, with more values and rows than the suite takes; then the floods, held against nginx. It needs
// root, as the suite does, and is made to end within an hour on two cores.
import { spawnSync } from 'node:child_process';

const files = [
  // Who the visitor is, and requests that try to pass a gate or to smuggle.
  ...[
    'behind-an-edge',
    'two-fronts-one-verdict',
    'gates-and-rules',
    'random-maps',
    'hardening',
    'front-holds',
    'raw-ports',
  ],
  // Values and names that try to become directives, paths, commands or words of a terminal.
  ...['generated-values', 'hostile-maps', 'paths-from-outside', 'cli/harmless'],
  // Crowds.
  ...['attacked', 'breaking-off', 'rate-matrix'],
  // Authorities, engines, containers, files and users of others.
  ...['hostile-authority', 'bounds', 'follow', 'roots-hands', 'live-record', 'lock'],
].map((name) => `test/${name}.test.ts`);

const env = { ...process.env, EVERY_ROW: '1', ATTACK_VALUES: process.env['ATTACK_VALUES'] ?? '10000' };
const jest = ['node_modules/jest/bin/jest.js', ...files, '--testTimeout', '1800000'];
const run = (command, argv) => spawnSync(command, argv, { stdio: 'inherit', env }).status === 0;
const held = [run(process.execPath, jest), run('npm', ['run', '--silent', 'bench', '--', 'floods'])];
process.exitCode = held.every((one) => one) ? 0 : 1;
