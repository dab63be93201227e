import { execFileSync, spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from '../support/program.ts';

/** The types that the package brings, made as `npm run build:types` makes them: in one file, and nothing of other packages in it. */

const root = join(__dirname, '../..');

test('an example in TypeScript fits the types that are packed', () => {
  const folder = folderWith({ 'package.json': '{"type": "module"}' });
  const tsc = join(root, 'node_modules/typescript/bin/tsc');
  const bundled = join(root, 'node_modules/dts-bundle-generator/dist/bin/dts-bundle-generator.js');
  const options = ['--silent', '--project', 'tsconfig.json', '--no-check', '--export-referenced-types=false'];
  const made = [...options, '-o', join(folder, 'core.d.ts'), 'src/core/index.ts'];
  execFileSync(process.execPath, [bundled, ...made], { cwd: root });
  writeFileSync(
    join(folder, 'example.ts'),
    `import { decide, planMap, prepare, readMap, type Verdict } from './core.js';
const { map, findings } = readMap({ file: 'm', text: '' });
if (map === null) throw new Error(findings.map(({ message }) => message).join());
const verdict: Verdict = decide(prepare(planMap(map)), {
  listener: 'https', sni: null, host: [], method: 'GET', target: '/', httpVersion: '1.1', peer: '192.0.2.1', headers: {}, person: 'none', overRate: false,
});
// @ts-expect-error: a verdict has no such act
export const wrong = verdict.act === 'nothing';
`,
  );
  const { stdout } = spawnSync(
    process.execPath,
    [tsc, '--noEmit', '--strict', '--module', 'nodenext', '--target', 'es2022', '--lib', 'es2023', 'example.ts'],
    { cwd: folder, encoding: 'utf8' },
  );
  expect(stdout).toBe('');
});
