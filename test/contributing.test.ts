import { spawnSync } from 'node:child_process';
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from './support/program.ts';

const root = join(__dirname, '..');
const said = readFileSync(join(root, 'CONTRIBUTING.md'), 'utf8');

/** What stands in a file, and what takes its place there. */
type Change = [file: string, from: string, to: string];

/** A gate that is open in certain hours. */
const kind: Change[] = [
  [
    'src/core/gates/check.ts',
    'export interface Checks {',
    "export interface Checks {\n  hours: { kind: 'hours'; from: number };",
  ],
  [
    'src/core/gates/kinds.ts',
    'export const gateKinds = {',
    "import { hours } from './hours.ts';\nexport const gateKinds = {\n  hours,",
  ],
  ['src/core/map/schema/gates.ts', '    need: z', '    hours: keyOf(gateKinds.hours.schema),\n    need: z'],
  ...(['nginx', 'httpd', 'haproxy'] as const).map((proxy): Change => {
    const table = {
      nginx: 'checkLines: CheckTable<PartWay> = {',
      httpd: 'requirements: CheckTable<Plan> = {',
      haproxy: '| null } = {',
    };
    return [`src/core/proxies/${proxy}/gate-lines.ts`, table[proxy], `${table[proxy]}\n  hours: null,`];
  }),
];

const file = `import * as z from 'zod';
import { about } from '../map/schema/words.ts';
import type { Checks } from './check.ts';
import type { GateKind } from './kind.ts';

export const hours: GateKind<Checks['hours'], number> = {
  kind: 'hours',
  schema: z.int().meta(about('Visitors pass from this hour on.', '8')),
  noun: 'the right hour',
  onPorts: true,
  read: (from) => ({ kind: 'hours', from }),
  place: (check) => check,
  passes: () => false,
  passedWords: () => 'it is not too early',
  refusal: () => ({ answers: { by: 'front', status: 403 }, words: 'it is too early' }),
  implies: (own, other) => own.from >= other.from,
};
`;

test('a new kind of gate touches the files that are listed, and no other', () => {
  const folder = folderWith();
  cpSync(join(root, 'src'), join(folder, 'src'), { recursive: true });
  for (const name of ['node_modules', 'package.json']) symlinkSync(join(root, name), join(folder, name));
  const { compilerOptions } = JSON.parse(readFileSync(join(root, 'tsconfig.json'), 'utf8')) as {
    compilerOptions: object;
  };
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, include: ['src'] }));
  for (const [path, from, to] of kind) {
    const text = readFileSync(join(folder, path), 'utf8');
    expect([path, text.split(from).length]).toEqual([path, 2]);
    writeFileSync(
      join(folder, path),
      text.replace(from, () => to),
    );
  }
  writeFileSync(join(folder, 'src/core/gates/hours.ts'), file);
  const section = /## A kind of gate\n([^]*?)\n8\. /.exec(said)?.[1] ?? '';
  const listed = [...section.matchAll(/^\d\. `(src\/[^`]+)`/gm)].map(([, path = '']) => path.replace('KIND', 'hours'));
  expect([...kind.map(([path]) => path), 'src/core/gates/hours.ts'].sort()).toEqual([...listed].sort());
  const compiled = spawnSync(
    process.execPath,
    [join(root, 'node_modules/typescript/bin/tsc'), '--noEmit', '-p', folder],
    {
      encoding: 'utf8',
    },
  );
  expect(compiled.stdout).toBe('');
});
