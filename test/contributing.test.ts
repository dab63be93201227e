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

/** A key of a road: the season in which it is open. */
const key: Change[] = [
  [
    'src/core/road-rules/road-rules.ts',
    'const rules = {',
    "import { season } from './season.ts';\nconst rules = {\n  season,",
  ],
];

const keyFile = `import * as z from 'zod';
import { about, wants } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

export const season = roadRule({
  key: 'season',
  schema: z.enum(['spring', 'autumn'], wants('spring or autumn')).optional().meta(about('When birds pass.', 'autumn')),
  read: (written) => written ?? null,
  plan: (said, { name }) => said ?? (name.startsWith('tern') ? 'spring' : null),
  document: z.enum(['spring', 'autumn']).nullable(),
  shown: (planned) => planned,
  note: (planned) => \`Season: \${planned ?? 'all year'}.\`,
});
`;

/** The files that a section names, one in each of its steps. */
function listedIn(heading: string, name: string, until: number): string[] {
  const [, section = ''] = new RegExp(`## ${heading}\\n([^]*?)\\n(?:${String(until)}\\. |## )`).exec(said) ?? [];
  return [...section.matchAll(/^\d\. `(src\/[^`]+)`/gm)].map(([, path = '']) => path.replace('KIND', name)).sort();
}

test('a new kind of gate and a new key of a road touch the files that are listed, and no other', () => {
  const folder = folderWith();
  cpSync(join(root, 'src'), join(folder, 'src'), { recursive: true });
  for (const name of ['node_modules', 'package.json']) symlinkSync(join(root, name), join(folder, name));
  const { compilerOptions } = JSON.parse(readFileSync(join(root, 'tsconfig.json'), 'utf8')) as {
    compilerOptions: object;
  };
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, include: ['src'] }));
  for (const [path, from, to] of [...kind, ...key]) {
    const text = readFileSync(join(folder, path), 'utf8');
    expect([path, text.split(from).length]).toEqual([path, 2]);
    writeFileSync(
      join(folder, path),
      text.replace(from, () => to),
    );
  }
  writeFileSync(join(folder, 'src/core/gates/hours.ts'), file);
  writeFileSync(join(folder, 'src/core/road-rules/season.ts'), keyFile);
  const touched = (changes: readonly Change[], fresh: string): string[] =>
    [...changes.map(([path]) => path), fresh].sort();
  expect(touched(kind, 'src/core/gates/hours.ts')).toEqual(listedIn('A kind of gate', 'hours', 8));
  expect(touched(key, 'src/core/road-rules/season.ts')).toEqual(listedIn('A key of a road', 'season', 3));
  // What shows that the key is known wherever keys are: the schema, documents and the words of a change are made of the one list.
  writeFileSync(
    join(folder, 'src/tried.ts'),
    `import { mapSchema } from './core/map/schema/map.ts';
import type { Plan } from './core/plan/plan.ts';
export const tried = (plan: Plan): 'spring' | 'autumn' | null => plan.roads[0]?.rules.season ?? null;
export const season = (keys: ReturnType<typeof mapSchema.parse>): string | undefined => keys.roads['tern']?.season;
`,
  );
  const compiled = spawnSync(
    process.execPath,
    [join(root, 'node_modules/typescript/bin/tsc'), '--noEmit', '-p', folder],
    {
      encoding: 'utf8',
    },
  );
  expect(compiled.stdout).toBe('');
});
