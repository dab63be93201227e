import { without } from '../../src/core/without.ts';
import { checkOf, type PlannedGate } from '../../src/core/gates/check.ts';
import { planFile, readPlan } from '../../src/core/proxies/builtin/renderer.ts';
import fc from 'fast-check';
import { closingOf } from '../../src/core/live/closing.ts';
import type { Begun, FrontEntry } from '../../src/core/live/entries.ts';
import { shortened } from '../../src/core/live/front-journal.ts';
import { standingBefore, stateOf } from '../../src/core/live/state.ts';
import type { Plan } from '../../src/core/plan/plan.ts';
import { listensIn } from '../../src/core/proxies/nginx/dump.ts';
import { decide, prepare } from '../../src/core/verdict/decide.ts';
import type { VerdictRequest } from '../../src/core/verdict/verdict.ts';
import { plannedOf } from '../support/plan.ts';

/** The record of what is live, and what a map closes. */

const at = '2026-12-01T00:00:00Z';
const place = { proxy: 'nginx' as const, mark: { address: '127.0.0.1', port: 29180 }, container: null };

/** A change of version 1.1, begun at what is live. */
function begun(from: number | null, to: number | null, more: Partial<Begun> = {}): Begun {
  return {
    ...{ event: 'installing', at, from, to, include: null, ...place, replaced: [] },
    change: {
      was: { place: from === null ? null : place, answered: true, ran: true, current: from },
      ...{ makes: [], removes: [], restores: [] },
    },
    ...more,
  };
}

function withFiles(entry: Begun, files: Partial<NonNullable<Begun['change']>>): Begun {
  const { change } = entry;
  return change === undefined ? entry : { ...entry, change: { ...change, ...files } };
}

type Act = 'install' | 'fail' | 'refuse' | 'undo' | 'cut' | 'write';

/** What a journal says after acts, and what was live by them. */
function played(acts: readonly Act[]): { entries: FrontEntry[]; live: number | null; stood: number[]; isCut: boolean } {
  const entries: FrontEntry[] = [];
  let [live, next, isCut] = [null as number | null, 1, false];
  let stood: number[] = [];
  for (const act of acts) {
    const to = next;
    if (act === 'undo') {
      const before = stood.filter((one) => one !== live).at(-1) ?? null;
      entries.push(begun(live, before), { event: 'undone', at, from: live, to: before });
      stood = stood.filter((one) => one !== live);
      [live, isCut] = [before, false];
      continue;
    }
    next += 1;
    entries.push({ event: 'prepared', at, edition: to, digest: `d${String(to)}` });
    if (act === 'write') continue;
    entries.push(begun(live, to));
    isCut = act === 'cut';
    if (act === 'fail') entries.push({ event: 'returned', at, from: to, to: live, why: 'it did not come up' });
    if (act === 'refuse') entries.push({ event: 'refused', at, edition: to, why: 'a brace' });
    if (act !== 'install') continue;
    entries.push(
      { event: 'switched', at, edition: to, digest: `d${String(to)}` },
      { event: 'reloaded', at, edition: to },
    );
    entries.push({ event: 'confirmed', at, edition: to, tested: true });
    stood = [...stood, to];
    live = to;
  }
  return { entries, live, stood, isCut };
}

const acts = fc.array(fc.constantFrom<Act>('install', 'fail', 'refuse', 'undo', 'cut', 'write'), { maxLength: 40 });

test('only what was confirmed or undone is live, however much was begun, refused, returned or cut short', () => {
  fc.assert(
    fc.property(acts, (all) => {
      const { entries, live, stood, isCut } = played(all);
      const state = stateOf(entries);
      expect([state.live?.edition ?? null, state.begun !== null, state.stood.map(({ edition }) => edition)]).toEqual([
        ...[live, isCut, stood],
      ]);
      if (live !== null) expect(state.live?.digest).toBe(`d${String(live)}`);
      expect(standingBefore(state)?.edition ?? null).toBe(stood.filter((one) => one !== live).at(-1) ?? null);
      expect(state.highest).toBe(Math.max(0, ...entries.flatMap((one) => ('edition' in one ? (one.edition ?? 0) : 0))));
    }),
  );
});

test('a shortened journal says the same', () => {
  const many = fc.array(fc.constantFrom<Act>('install', 'fail', 'undo', 'cut', 'write'), {
    minLength: 600,
    maxLength: 800,
  });
  fc.assert(
    fc.property(many, (all) => {
      const { entries } = played(all);
      const shorter = shortened(entries);
      if (shorter !== null) expect(stateOf(shorter)).toEqual(stateOf(entries));
    }),
    { numRuns: 20 },
  );
});

test('files that a change makes and switches off are there once it holds, and come back with what stood before', () => {
  const include = { path: '/etc/nginx/conf.d/mile-marker.conf', content: 'x', proxy: 'nginx' as const };
  const off = { path: '/etc/nginx/sites-enabled/old', kept: '0011', link: null };
  const whole = withFiles(begun(null, 1, { include: include.path, replaced: [off] }), { makes: [include] });
  const held: FrontEntry[] = [whole, { event: 'confirmed', at, edition: 1, tested: true }];
  expect(stateOf(held)).toMatchObject({ made: [include], replaced: [off] });
  expect(stateOf([whole, { event: 'returned', at, from: 1, to: null, why: 'no' }])).toMatchObject({
    made: [],
    replaced: [],
  });
  const undone = withFiles(begun(1, null), { removes: [include], restores: [off] });
  expect(stateOf([...held, undone, { event: 'undone', at, from: 1, to: null }])).toMatchObject({
    ...{ live: null, made: [], replaced: [] },
  });
});

test('a journal of version 1.0.0 goes on counting, but for a file whose kept copy was overwritten', () => {
  const old = (to: number, more: Partial<Begun>): FrontEntry[] => [
    { event: 'prepared', at, edition: to, digest: `d${String(to)}` },
    { ...begun(to === 1 ? null : to - 1, to, more), change: undefined },
    { event: 'confirmed', at, edition: to, tested: true },
  ];
  const kept = '/state/replaced/0001-1';
  const entries = [
    ...old(1, { include: '/etc/x.conf', replaced: [{ path: '/a', kept, link: null }] }),
    ...old(1, { replaced: [{ path: '/b', kept, link: null }] }),
  ];
  expect(stateOf(entries)).toMatchObject({
    live: { edition: 1, digest: 'd1', place: { proxy: 'nginx' } },
    made: [{ path: '/etc/x.conf', content: '' }],
    // Under that name lies what was the second one's.
    replaced: [{ path: '/b' }],
  });
  const back: FrontEntry[] = [
    { ...begun(1, null), change: undefined },
    { event: 'returned', at, from: 1, to: null, why: 'undone' },
  ];
  expect(stateOf([...entries, ...back])).toMatchObject({ live: null, made: [], replaced: [] });
});

const gates = ['everyone', 'home', 'near', 'wide', 'wardens', 'ringers', 'either', 'both', 'hooks'];
const head = `domains: [saltmarsh.example]
front: {address: 203.0.113.24, home-networks: [192.168.64.0/24]}
gates:
  near: {networks: [192.168.64.0/26]}
  wide: {networks: [192.168.0.0/16, 10.0.0.0/8]}
  wardens: {people: w}
  ringers: {people: r}
  either: {people: w, networks: [192.168.64.0/24], need: any}
  both: {people: w, networks: [192.168.64.0/24], need: all}
  hooks: {people: w, except: [/hooks/]}
`;
const road = fc.record({
  gate: fc.uniqueArray(fc.constantFrom(...gates), { minLength: 1, maxLength: 3 }),
  paused: fc.boolean(),
  isThere: fc.integer({ min: 0, max: 9 }).map((one) => one > 0),
});
const planOf = (roads: ReadonlyArray<{ gate: string[]; paused: boolean; isThere: boolean }>): Plan => {
  const lines = roads.flatMap(({ gate, paused, isThere }, index) =>
    isThere ? [`  r${String(index)}: {to: ":9", gate: [${gate.join(', ')}]${paused ? ', paused: true' : ''}}\n`] : [],
  );
  return plannedOf(`${head}roads:\n${lines.join('')}  last: {to: ":9"}\n`).plan;
};
const asked = fc.record({
  client: fc.constantFrom('192.168.64.9', '192.168.64.200', '192.168.7.7', '10.1.2.3', '203.0.113.77'),
  person: fc.constantFrom('none', 'wrong', 'edda'),
  knownIn: fc.subarray(['/site/w', '/site/r']),
  target: fc.constantFrom('/', '/hooks/x', '/a'),
  at: fc.integer({ min: 0, max: 2 }),
});

/** Whether a request gets to the service. */
type Asked = typeof asked extends fc.Arbitrary<infer One> ? One : never;

function passes(plan: Plan, { client, person, knownIn, target, at: index }: Asked): boolean {
  const host = `r${String(index)}.saltmarsh.example`;
  const request = {
    ...{
      listener: 'https',
      sni: host,
      peer: client,
      method: 'GET',
      target,
      host: [host],
      headers: {},
      httpVersion: '1.1',
    },
    ...{ person, knownIn, overRate: false },
  } as unknown as VerdictRequest;
  return decide(prepare(plan), request).act === 'forward';
}

test('nobody passes what is closed who did not pass before, and nobody whom the map keeps out passes a road that it closes', () => {
  let [closed, kept] = [0, 0];
  fc.assert(
    fc.property(
      fc.tuple(road, road, road),
      fc.tuple(road, road, road),
      fc.array(asked, { minLength: 20 }),
      (a, b, all) => {
        const [live, wanted] = [planOf(a), planOf(b)];
        const closing = closingOf(live, wanted);
        for (const one of all) {
          const [before, after, then] = [live, closing.plan, wanted].map((plan) => passes(plan, one));
          if (after === true) expect(before).toBe(true);
          const name = `r${String(one.at)}.saltmarsh.example`;
          const ways = closing.closed.filter((two) => two.road === name);
          if (ways.length > 0 && then === false) expect(after).toBe(false);
          if (before === true && after === false) closed += 1;
          if (before === true && after === true) kept += 1;
        }
        // What it names as closed differs, and what it does not name is as it was.
        const same = live.roads.filter(({ name }) => !closing.closed.some((one) => one.road === name));
        for (const one of same) expect(closing.plan.roads).toContainEqual(one);
        // Done once, there is nothing left to close.
        expect(closingOf(closing.plan, wanted).closed).toEqual([]);
      },
    ),
    { numRuns: 200 },
  );
  expect(closed > 50 && kept > 50).toBe(true);
});

test('every form of a listen is read', () => {
  const text = ['80', '*:81', '127.0.0.1:82', '[::]:83', '[2001:db8::1]:84 ssl', '203.0.113.9', 'unix:/run/x'];
  const dump = `# configuration file /etc/nginx/nginx.conf:\nhttp { server { ${text.map((one) => `listen ${one};`).join(' ')} } }\n`;
  expect(listensIn(dump)).toEqual([
    { family: 4, address: null, port: 80 },
    { family: 4, address: null, port: 81 },
    { family: 4, address: '127.0.0.1', port: 82 },
    { family: 6, address: null, port: 83 },
    { family: 6, address: '2001:db8::1', port: 84 },
    { family: 4, address: '203.0.113.9', port: 80 },
  ]);
});

test('a plan of the version before has the same gates', () => {
  const text = `domains: [saltmarsh.example]
front: {address: 203.0.113.24}
gates: {w: {people: w, networks: 192.0.2.0/24, need: any, except: /hooks/}, n: {networks: 192.0.2.0/25}, p: {people: w}}
roads: {a: {to: ":1", gate: w}, b: {to: ":2", gate: [n, p]}, c: {to: ":3", gate: everyone}}
ports: {8883/tcp: {to: ":4", gate: n}}
`;
  const now = JSON.parse(planFile(plannedOf(text).plan).content) as Plan;
  const before = <T extends { gate: PlannedGate }>(one: T): unknown => {
    const parts = one.gate.parts.map(({ checks, ...part }) => {
      const networks = checks.find(({ kind }) => kind === 'networks');
      const people = checkOf({ checks }, 'people')?.file ?? null;
      return { ...part, networks: networks === undefined ? null : without(networks, 'kind'), people };
    });
    return { ...one, gate: { ...one.gate, parts } };
  };
  const old = { ...now, version: 6, roads: now.roads.map(before), ports: now.ports.map(before) };
  const gatesOf = (plan: Plan | null): unknown =>
    [...(plan?.roads ?? []), ...(plan?.ports ?? [])].map(({ gate }) => gate);
  expect(gatesOf(readPlan(JSON.stringify(old)))).toEqual(gatesOf(now));
  expect(readPlan(JSON.stringify({ ...old, version: 5 }))).toBeNull();
});
