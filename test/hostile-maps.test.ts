import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { describeKeys } from '../src/core/map/schema/describe.ts';
import { mapSchema } from '../src/core/map/schema/map.ts';
import { haproxyRenderer, standalone as haproxyAlone } from '../src/core/proxies/haproxy/renderer.ts';
import { httpdRenderer, standalone as httpdAlone } from '../src/core/proxies/httpd/renderer.ts';
import { nginxRenderer, standalone as nginxAlone } from '../src/core/proxies/nginx/renderer.ts';
import type { Renderer } from '../src/core/proxies/renderer.ts';
import type { Plan } from '../src/core/plan/plan.ts';
import { readMap } from '../src/core/map/read-map.ts';
import { makePlan } from '../src/core/plan/make-plan.ts';
import { haproxyProgram, httpdProgram, nginxProgram, nginxVersion } from './support/fronts.ts';
import { inventoryOf, someHost } from './support/plan.ts';
import { freePorts } from './support/ports.ts';
import { folderWith } from './support/program.ts';
import { someOf } from './support/some-of.ts';

/** Values that try to become directives, in every field of the map that takes text. */

const { front, ...rest } = parse(readFileSync(join(__dirname, 'files/whole-map.yaml'), 'utf8'), {
  stringKeys: true,
}) as Record<string, unknown>;
const onThisHost = Object.fromEntries(Object.entries(front as object).filter(([key]) => key !== 'container'));
const whole = { ...rest, front: onThisHost };
// On this machine, with a road that shows everything.
const base = placed(
  placed(whole, ['roads', 'nestcam', 'paused'], false),
  ['roads', 'nestcam', 'to'],
  'https://b.example',
) as Record<string, unknown>;

const hostile = [
  'evil_; evil_on;',
  '"; evil_on; #',
  "'; evil_on; #",
  'a } evil_ {',
  'a\nevil_on;',
  'a\r\nevil_on;',
  'evil_\u0000',
  '$evil_host',
  '${evil_host}',
  'evil_\\',
  'evil_\\"; evil_on;',
  '# evil_',
  'evil_ `id` $(id)',
  '%{evil_}',
  '\u202eevil_',
  'evil_\u2028x',
  'ev\u0456l_; x',
  `evil_${'x'.repeat(5000)}; y`,
  '/evil_;{}"/x',
  './evil_"; x',
  '/evil_$x',
  'https://evil_".example/;',
  'https://a.example/evil_;"{}',
  '~evil_;',
];

function placed(value: unknown, [step, ...rest]: readonly string[], to: unknown): unknown {
  if (step === undefined) return to;
  const parent = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  const key = step === 'NAME' ? (Object.keys(parent)[0] ?? 'any') : step;
  return { ...parent, [key]: placed(parent[key], rest, to) };
}

/** The same value under a key of its own choice, for keys that people name. */
function renamed(value: unknown, [step, ...rest]: readonly string[], name: string): unknown {
  const parent = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  if (step === 'NAME')
    return { ...Object.fromEntries(Object.entries(parent).slice(1)), [name]: Object.values(parent)[0] };
  return step === undefined ? value : { ...parent, [step]: renamed(parent[step], rest, name) };
}

/** Null when the map is refused, or when the value is nowhere in its plan. */
function planOf(map: unknown): Plan | null {
  // Most are refused here already, which is sooner known than by reading a whole text.
  if (!mapSchema.safeParse(map).success) return null;
  const read = readMap({ file: 'm', text: JSON.stringify(map) });
  if (read.map === null) return null;
  const { plan } = makePlan({
    map: read.map,
    inventory: inventoryOf([]),
    host: someHost,
    certificatesFolder: '/c',
    challengesFolder: '/h',
    mapFolder: '/m',
  });
  return /evil_|\u0456/.test(JSON.stringify(plan)) ? plan : null;
}

interface Server {
  name: string;
  renderer: Renderer;
  /** What it would read as its own words: everything outside quotes and comments. */
  words: (text: string) => string;
  /** Its own test of written files. */
  test: (folder: string, current: string) => { status: number | null; stderr: string };
}

const run = (program: string, argv: string[]): ReturnType<Server['test']> =>
  spawnSync(program, argv, { encoding: 'utf8' });

const servers: readonly Server[] = [
  {
    name: 'nginx',
    renderer: nginxRenderer,
    words: (text) => text.replace(/"(?:\\[^]|[^"\\])*"|#[^\n]*/g, '""'),
    test: (folder, current) => {
      writeFileSync(join(folder, 'nginx.conf'), nginxAlone({ current, runFolder: folder }));
      return run(nginxProgram(), ['-t', '-q', '-c', join(folder, 'nginx.conf'), '-e', 'stderr']);
    },
  },
  {
    name: 'httpd',
    renderer: httpdRenderer,
    // mod_rewrite reads its arguments without escapes between quotes; a comment has a line of its own.
    words: (text) =>
      text
        .split('\n')
        .map((line) =>
          /^\s*Rewrite(?:Cond|Rule) /.test(line)
            ? line.replace(/"[^"]*"|'[^']*'/g, '""')
            : line.replace(/^\s*#[^\n]*|"(?:\\.|[^"\\])*"/g, '""'),
        )
        .join('\n'),
    test: (folder, current) => {
      const modules = '/usr/lib/apache2/modules';
      writeFileSync(
        join(folder, 'httpd.conf'),
        httpdAlone({ current, runFolder: folder, modules, user: process.getuid?.() === 0 ? 'www-data' : null }),
      );
      const { status, stderr } = run(httpdProgram(), ['-t', '-f', join(folder, 'httpd.conf')]);
      return { status, stderr: stderr.replace('Syntax OK\n', '') };
    },
  },
  {
    name: 'haproxy',
    renderer: haproxyRenderer,
    words: (text) => text.replace(/'[^']*'|"(?:\\.|[^"\\])*"|\\.|#[^\n]*/g, '""'),
    test: (folder, current) => {
      writeFileSync(join(folder, 'haproxy.cfg'), haproxyAlone({ runFolder: folder, user: null }));
      return run(haproxyProgram(), ['-c', '-q', '-f', join(folder, 'haproxy.cfg'), '-f', current]);
    },
  },
];

/** A line in which a value stands as the server's own words; null when there is none. */
function strayIn({ renderer, words }: Server, plan: Plan): string | null {
  const files = renderer.render(plan, { current: '/f', people: () => [] });
  return files.flatMap(({ content }) => /.*(?:evil_|\u0456).*/.exec(words(content))?.[0] ?? [])[0] ?? null;
}

const paths = describeKeys().map(({ path }) => path.split('.'));

/** What the map took, to be shown to nginx afterwards. */
const takenAlone: Array<{ value: string; path: string[]; to: unknown }> = [];

test.each(paths.map((path, index) => [path.join('.'), path, index] as const))(
  'no value of %s becomes a word of the server',
  (_, path, index) => {
    // Each second value, and the others at the next key.
    for (const value of someOf(hostile.slice(index % 2), 2)) {
      const tried = [value, [value], { evil: value }].map((to: unknown) => ({ to, map: placed(base, path, to) }));
      if (path.includes('NAME')) tried.push({ to: null, map: renamed(base, path, value) });
      for (const { to, map } of tried) {
        const plan = planOf(map);
        if (plan === null) continue;
        if (to !== null) takenAlone.push({ value, path, to });
        for (const server of servers)
          expect([server.name, value, strayIn(server, plan)]).toEqual([server.name, value, null]);
      }
    }
  },
);

/** Where written files lie for a server to test, with a pair of its own for every certificate. */
interface Ground {
  folder: string;
  listen: Plan['front']['listen'];
  mark: number;
}

async function ground(): Promise<Ground> {
  const folder = folderWith();
  const pair = await makeThrowaway(new Date());
  writeFileSync(join(folder, 'c.pem'), pair.certificate);
  writeFileSync(join(folder, 'c.pem.key'), pair.key);
  const [http = 0, https = 0, mark = 0] = await freePorts(3);
  return { folder, listen: { addresses: ['127.0.0.1'], http, https }, mark };
}

/** What a real server says of a plan: that it takes it, without a word. */
function saidOf({ renderer, test: accepts }: Server, plan: Plan, { folder, listen, mark }: Ground): unknown {
  const current = join(folder, 'front');
  rmSync(current, { recursive: true, force: true });
  const certificates = plan.certificates.map((one) => ({
    ...one,
    certificateFile: join(folder, 'c.pem'),
    keyFile: join(folder, 'c.pem.key'),
  }));
  const here: Plan = {
    ...plan,
    roads: plan.roads.map((road) => withoutFiles(road)),
    certificates,
    front: { ...plan.front, listen, container: null, mark: { address: '127.0.0.1', port: mark } },
  };
  for (const { path, content } of [
    ...renderer.render(here, { current, version: nginxVersion(), people: () => [] }),
    renderer.renderMark(here, 'm'),
  ]) {
    mkdirSync(dirname(join(current, path)), { recursive: true });
    writeFileSync(join(current, path), content);
  }
  const { status, stderr } = accepts(folder, current);
  return { status, stderr };
}

test.each(servers)('of those that the map takes, $name takes each', async (server) => {
  const at = await ground();
  // Each value in every field that takes it, all at once.
  const taken = hostile.flatMap((value) => {
    let map: unknown = base;
    for (const { path, to } of takenAlone.filter((one) => one.value === value)) {
      const next = placed(map, path, to);
      if (planOf(next) !== null) map = next;
    }
    return planOf(map) ?? [];
  });
  expect(taken.length).toBeGreaterThan(10);
  for (const plan of taken) expect(saidOf(server, plan, at)).toEqual({ status: 0, stderr: '' });
});

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
const fronts = ['', './', '/', 'https://a.example/'];

/** One place of the map, and one way to put a value there. */
interface Way {
  path: string[];
  front: string;
  how: 'text' | 'key';
}

function put(map: unknown, { path, front, how }: Way, text: string): unknown {
  const value = `${front}${text}`;
  if (how === 'key') return renamed(map, path, value);
  return placed(map, path, value);
}

/** Those in which a harmless text is taken, so that a hostile one is not refused for its place alone. */
function openWays(): Way[] {
  const all = paths.flatMap((path) =>
    fronts.flatMap((front) =>
      (path.includes('NAME') ? (['text', 'key'] as const) : (['text'] as const)).map((how) => ({ path, front, how })),
    ),
  );
  return all.filter((way) => planOf(put(base, way, 'evil_')) !== null);
}

const texts = fc
  .tuple(fc.array(fc.constantFrom(...fragments), { minLength: 1, maxLength: 6 }), fc.nat(6))
  .map(([parts, at]) => [...parts.slice(0, at), 'evil_', ...parts.slice(at)].join(''));

const many = Number(process.env['ATTACK_VALUES'] ?? 100);
const seed = Number(process.env['ATTACK_SEED'] ?? 20_261_130);

test(`of ${String(many)} generated values none becomes a word of a server, and real servers take what the map takes`, async () => {
  const at = await ground();
  const ways = openWays();
  expect(new Set(ways.map(({ path }) => path.join('.'))).size).toBeGreaterThan(7);
  const tried = fc.sample(fc.tuple(fc.constantFrom(...ways), texts), { seed, numRuns: many });
  let batch: { map: unknown; paths: Set<string> } = { map: base, paths: new Set() };
  let taken = 0;
  const show = (): void => {
    const plan = planOf(batch.map);
    for (const server of plan === null ? [] : servers)
      expect([server.name, saidOf(server, plan as Plan, at), seed, batch.map]).toEqual([
        server.name,
        { status: 0, stderr: '' },
        seed,
        batch.map,
      ]);
    batch = { map: base, paths: new Set() };
  };
  for (const [way, text] of tried) {
    const plan = planOf(put(base, way, text));
    if (plan === null) continue;
    taken += 1;
    for (const server of servers)
      expect([server.name, seed, way, text, strayIn(server, plan)]).toEqual([server.name, seed, way, text, null]);
    // As many at once as go together.
    const key = way.path.join('.');
    if (batch.paths.has(key) || planOf(put(batch.map, way, text)) === null) show();
    batch.map = put(batch.map, way, text);
    batch.paths.add(key);
  }
  show();
  expect(taken).toBeGreaterThan(many / 50);
});

/** Files that must be there for nginx to start are what `check` and `write` see to; here only the words count. */
function withoutFiles(given: Plan['roads'][number]): Plan['roads'][number] {
  const parts = given.parts.map((part) => {
    const { leads } = part;
    if (leads.kind !== 'service' || leads.upstream?.trust.kind !== 'ca') return part;
    const upstream = { ...leads.upstream, trust: { kind: 'none' as const } };
    return { ...part, leads: { kind: 'service' as const, upstream } };
  });
  return { ...given, rules: { ...given.rules, log: null }, parts };
}
