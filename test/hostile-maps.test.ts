import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { parse } from 'yaml';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { describeKeys } from '../src/core/map/schema/describe.ts';
import { mapSchema } from '../src/core/map/schema/map.ts';
import { nginxRenderer as nginx, standalone } from '../src/core/proxies/nginx/renderer.ts';
import type { Plan } from '../src/core/plan/plan.ts';
import { readMap } from '../src/core/map/read-map.ts';
import { makePlan } from '../src/core/plan/make-plan.ts';
import { nginxProgram } from './support/fronts.ts';
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

/** What nginx would read as its own words: everything outside quotes and comments. */
const words = (text: string): string => text.replace(/"(?:\\[^]|[^"\\])*"|#.*$/gm, '""');

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
        for (const { content } of nginx.render(plan, { current: '/f', people: () => [] }))
          expect([value, /.*(?:evil_|\u0456).*/.exec(words(content))?.[0]]).toEqual([value, undefined]);
      }
    }
  },
);

test('of those that the map takes, nginx takes each', async () => {
  const folder = folderWith();
  const pair = await makeThrowaway(new Date());
  for (const [name, text] of [
    ['c.pem', pair.certificate],
    ['k.pem', pair.key],
  ] as const)
    writeFileSync(join(folder, name), text);
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
  const [plain = 0, https = 0, mark = 0] = await freePorts(3);
  const listen = { addresses: ['127.0.0.1'], http: plain, https };
  for (const plan of taken) {
    const current = join(folder, 'front');
    const certificates = plan.certificates.map((one) => ({
      ...one,
      certificateFile: join(folder, 'c.pem'),
      keyFile: join(folder, 'k.pem'),
    }));
    const roads = plan.roads.map((road) => withoutFiles(road));
    const here: Plan = {
      ...plan,
      roads,
      certificates,
      front: { ...plan.front, listen, container: null, mark: { address: '127.0.0.1', port: mark } },
    };
    for (const { path, content } of [
      ...nginx.render(here, { current, people: () => [] }),
      nginx.renderMark(here, 'm'),
    ]) {
      mkdirSync(dirname(join(current, path)), { recursive: true });
      writeFileSync(join(current, path), content);
    }
    writeFileSync(join(folder, 'nginx.conf'), standalone({ current, runFolder: folder }));
    const { stderr } = spawnSync(nginxProgram(), ['-t', '-q', '-c', join(folder, 'nginx.conf'), '-e', 'stderr'], {
      encoding: 'utf8',
    });
    expect(stderr).toBe('');
  }
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
