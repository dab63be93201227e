import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import { describeKeys } from '../src/core/map/schema/describe.ts';
import { ground, placed, planOf, renamed, saidOf, servers, strayIn } from './support/hostile.ts';
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
  // Not for nothing: some are taken, whichever half of them is tried.
  expect(taken.length).toBeGreaterThan(hostile.length / 3);
  for (const plan of taken) expect(saidOf(server, plan, at)).toEqual({ status: 0, stderr: '' });
});
