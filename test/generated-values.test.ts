import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import { describeKeys } from '../src/core/map/schema/describe.ts';
import { without } from '../src/core/without.ts';
import { ground, layouts, placed, planOf, renamed, saidOf, strayIn } from './support/hostile.ts';

/** Values put together of what means something to a server, hundreds in one map: none may become a word of its configuration. */

type Part = Record<string, unknown>;
const whole = parse(readFileSync(join(__dirname, 'files/whole-map.yaml'), 'utf8'), { stringKeys: true }) as Record<
  string,
  Part
>;
const onThisHost = without(whole['front'] ?? {}, 'container');
const shown = without((whole['roads']?.['nestcam'] ?? {}) as Part, 'paused');
const road = { to: 'bird-log:8080' };

/** What every map has, so that a value has to fear for itself alone. */
const base = { ...whole, front: onThisHost, roads: { sightings: road }, labels: undefined };

/** What means something in one configuration or another. */
const fragments = [
  ...[
    '"',
    "'",
    '\\',
    '\\"',
    "\\'",
    ';',
    '{',
    '}',
    '#',
    ' ',
    '\t',
    '\n',
    '\r\n',
    '\u0000',
    '\u2028',
    '\u202e',
    'é',
    '𝄞',
  ],
  ...[
    '$',
    '${',
    '${evil_}',
    '$1',
    '%{',
    '%{evil_}e',
    '%[',
    '%[src]',
    '%',
    '%%',
    '`',
    '<',
    '>',
    '<If true>',
    '</VirtualHost>',
  ],
  ...[
    'evil_on;',
    'evil_ on',
    'return 200',
    'http-request deny',
    'Require all granted',
    'RewriteRule ^ - [F]',
    '] ',
    ',',
    '(',
    ')',
  ],
  ...[
    '|',
    '*',
    '?',
    '~',
    '^',
    '@',
    ':',
    '/',
    '..',
    '//',
    '=',
    '&',
    '-',
    '--',
    '\\n',
    '\\x22',
    '&quot;',
    '%22',
    '%0a',
    'a',
    'b.example',
  ],
];
/** So that some are of the kind that a key wants. */
const fronts = ['', './', '/', 'https://a.example/', '~', 'X-', '/a/'];

/** In which form a text stands at its key. */
const shapes: Record<string, (text: string) => unknown> = {
  text: (text) => text,
  list: (text) => [text],
  held: (text) => ({ 'X-Station': text }),
  key: (text) => ({ [text]: 'a' }),
};

/** What may hold a value and stands in a map as often as wanted. */
const holders: Record<string, { section: string; of: unknown; besides: (name: string) => Part }> = {
  'a road with everything': { section: 'roads', of: { ...shown, to: ':9400' }, besides: () => ({}) },
  'a road': { section: 'roads', of: road, besides: () => ({}) },
  'a road over TLS': {
    section: 'roads',
    of: { to: 'https://b.example', 'upstream-ca': 'ca.pem', 'upstream-host': 'b.internal' },
    besides: () => ({}),
  },
  'a folder': { section: 'roads', of: { folder: './site', gate: 'everyone' }, besides: () => ({}) },
  'a redirect': {
    section: 'roads',
    of: { redirect: 'https://www.saltmarsh.example', gate: 'everyone' },
    besides: () => ({}),
  },
  'a paused road': { section: 'roads', of: { ...road, paused: true }, besides: () => ({}) },
  'a gate': {
    section: 'gates',
    of: { networks: ['192.168.64.0/24'] },
    besides: (name) => ({ roads: { [name]: { ...road, gate: name } } }),
  },
  'a certificate': {
    section: 'certificates',
    of: { names: ['saltmarsh.example'], wildcard: true, from: 'acme' },
    besides: (name) => ({ roads: { [name]: { ...road, certificate: name } } }),
  },
};

/** One place of a map, and one way to put a value there. A key of the map itself is there once, what a holder has as often as wanted. */
interface Way {
  holder: string | null;
  path: readonly string[];
  front: string;
  shape: string;
}

/** The map with one value more, in a holder of the name given. */
function put(map: Part, { holder, path, front, shape }: Way, text: string, name: string): Part {
  const value = `${front}${text}`;
  const into = (target: unknown): unknown =>
    shape === 'name' ? renamed(target, path, value) : placed(target, path, shapes[shape]?.(value));
  const held = holder === null ? undefined : holders[holder];
  if (held === undefined) return into(map) as Part;
  const more = { ...held.besides(name) };
  more[held.section] = { ...(more[held.section] as Part | undefined), [name]: into(held.of) };
  const sections = Object.entries(more).map(([section, of]) => [
    section,
    { ...(map[section] as Part), ...(of as Part) },
  ]);
  return { ...map, ...(Object.fromEntries(sections) as Part) };
}

/** Those in which a harmless text is taken, so that a hostile one is not refused for its place alone. */
function openWays(): Way[] {
  const paths = describeKeys().map(({ path }) => path.split('.'));
  const all = paths.flatMap((path): Way[] => {
    const [section = '', , ...below] = path;
    const kinds = Object.entries(holders).filter(([, held]) => held.section === section && path[1] === 'NAME');
    const ways = kinds.map(([holder]) => ({ holder, path: below }));
    const places: Array<Pick<Way, 'holder' | 'path'>> = ways.length > 0 ? ways : [{ holder: null, path }];
    return places.flatMap((place) =>
      fronts.flatMap((front) =>
        [...Object.keys(shapes), ...(place.path.includes('NAME') ? ['name'] : [])].map((shape) => ({
          ...place,
          front,
          shape,
        })),
      ),
    );
  });
  return all.filter((way) => planOf(put(base, way, 'evil_', 'v0')) !== null);
}

const texts = fc
  .tuple(fc.array(fc.constantFrom(...fragments), { minLength: 1, maxLength: 6 }), fc.nat(6))
  .map(([parts, at]) => [...parts.slice(0, at), 'evil_', ...parts.slice(at)].join(''));

const many = Number(process.env['ATTACK_VALUES'] ?? 180);
const seed = Number(process.env['ATTACK_SEED'] ?? 20_261_130);
/** So many taken ones stand in one map, whose files each server then tests. */
const together = 60;

test(`of ${String(many)} generated values none becomes a word of a server, and real servers take what the map takes`, async () => {
  const at = await ground();
  const ways = openWays();
  // Places of the map that take such values at all.
  expect(new Set(ways.map(({ holder, path }) => [holder, ...path].join('.'))).size).toBeGreaterThan(20);
  const tried = fc.sample(fc.tuple(fc.constantFrom(...ways), texts), { seed, numRuns: many });
  let map: Part = base;
  let held: string[] = [];
  let taken = 0;
  const show = (): void => {
    const plan = planOf(map);
    if (plan === null) throw new Error(`together they are refused: ${held.join('\n')}`);
    for (const server of layouts) {
      expect([server.name, seed, held, strayIn(server, plan)]).toEqual([server.name, seed, held, null]);
      expect([server.name, seed, held, saidOf(server, plan, at)]).toEqual([
        server.name,
        seed,
        held,
        { status: 0, stderr: '' },
      ]);
    }
    map = base;
    held = [];
  };
  for (const [way, text] of tried) {
    if (planOf(put(base, way, text, 'v0')) === null) continue;
    taken += 1;
    const key = JSON.stringify(way.path);
    // A key of the map itself holds one value at a time.
    if (held.length === together || (way.holder === null && held.some((one) => one.startsWith(key)))) show();
    map = put(map, way, text, `v${String(held.length)}`);
    held.push(`${key} ${JSON.stringify(way)} ${text}`);
  }
  show();
  expect(taken).toBeGreaterThan(many / 50);
});
