import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { proxyNames, writtenNames } from '../src/core/proxies/names.ts';
import { programOf, writtenPrograms } from '../src/core/proxies/programs.ts';

/** What holds the tree together, read from its files. */

const root = join(__dirname, '../src');
const files = readdirSync(root, { recursive: true, encoding: 'utf8' }).filter((path) => /\.tsx?$/.test(path));
const textOf = (path: string): string => readFileSync(join(root, path), 'utf8');

/** Where a server's name may stand: its own folders, the lists of programs, and the words of the schema. */
const mayName = [
  /^(core|adapters)\/proxies\/(builtin|nginx|httpd|haproxy)\//,
  /^core\/proxies\/(names|programs)\.ts$/,
  /^adapters\/proxies\/adapters\.ts$/,
  /^core\/map\/schema\//,
];

test('no file outside its own folders knows a server program by name', () => {
  const servers = /\b(nginx|httpd|apache2?|haproxy)\b/i;
  const found = files.flatMap((path) => {
    if (mayName.some((pattern) => pattern.test(path))) return [];
    // A package that is called so.
    const lines = textOf(path).replaceAll("'apache-md5'", '').split('\n');
    return lines.flatMap((line, index) => (servers.test(line) ? [`${path}:${String(index + 1)} ${line.trim()}`] : []));
  });
  expect(found).toEqual([]);
});

test('every name has its program, and those that are written are listed', () => {
  expect(proxyNames.map((name) => programOf(name).name)).toEqual([...proxyNames]);
  expect(writtenPrograms().map(({ name }) => name)).toEqual([...writtenNames]);
});

/** What a file imports, types too: what goes round can be read in no order. */
function importsOf(path: string): string[] {
  const statements = textOf(path).matchAll(/(?:from |import\()'(\.[^']+)'/g);
  return [...statements].map(([, to = '']) => relative(root, resolve(root, dirname(path), to)));
}

test('no file imports itself by way of others', () => {
  const state = new Map<string, 'open' | 'done'>();
  const circles: string[] = [];
  const visit = (path: string, above: readonly string[]): void => {
    if (state.get(path) === 'done') return;
    if (state.get(path) === 'open') {
      circles.push([...above.slice(above.indexOf(path)), path].join(' -> '));
      return;
    }
    state.set(path, 'open');
    for (const next of importsOf(path)) if (files.includes(next)) visit(next, [...above, path]);
    state.set(path, 'done');
  };
  for (const path of files) visit(path, []);
  expect(circles).toEqual([]);
});

const inwards = ['core', 'adapters', 'builtin', 'use-cases', 'cli', 'demo'];

test('imports point inwards only, types too', () => {
  const mayUse: Record<string, string[]> = {
    core: ['core'],
    adapters: ['core', 'adapters'],
    builtin: ['core', 'adapters', 'builtin'],
    'use-cases': ['core', 'adapters', 'builtin', 'use-cases'],
    demo: ['core', 'adapters', 'demo'],
    cli: inwards,
  };
  const wrong = files.flatMap((path) => {
    const [own = ''] = path.split('/');
    return [...textOf(path).matchAll(/from '(\.[^']+)'|import\('(\.[^']+)'\)/g)].flatMap(([, a, b]) => {
      const [room = ''] = relative(root, resolve(root, dirname(path), a ?? b ?? '')).split('/');
      return mayUse[own]?.includes(room) === true ? [] : [`${path} -> ${a ?? b ?? ''}`];
    });
  });
  expect(wrong).toEqual([]);
});

test('nothing is exported that nobody else takes', () => {
  const everywhere = [...files.map((path) => join(root, path)), ...outside()].map(
    (path) => [path, readFileSync(path, 'utf8')] as const,
  );
  const dead = files.flatMap((path) =>
    [...textOf(path).matchAll(/^export (?:async )?(?:function\*?|const|class|interface|type) (\w+)/gm)].flatMap(
      ([, name = '']) => {
        const word = new RegExp(`\\b${name}\\b`);
        return everywhere.some(([other, text]) => other !== join(root, path) && word.test(text))
          ? []
          : [`${path} ${name}`];
      },
    ),
  );
  expect(dead).toEqual([]);
});

function outside(): string[] {
  return ['../test', '../bench', '../scripts'].flatMap((folder) =>
    readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' })
      .filter((path) => /\.(ts|mjs)$/.test(path))
      .map((path) => join(root, folder, path)),
  );
}
