import { planChanges } from '../../src/core/live/plan-changes.ts';
import { readMap } from '../../src/core/map/read-map.ts';
import type { Plan } from '../../src/core/plan/plan.ts';
import { plannedOf } from '../support/plan.ts';

/** What changes on the map, in its own words; and what is wrong on it, once. */

const head = `domains: [saltmarsh.example]
front: {address: 203.0.113.24}
gates: {wardens: {networks: [198.51.100.0/24]}}
`;
const plan = (roads: string, above = head): Plan => plannedOf(`${above}roads:\n${roads}`).plan;
const before = '  nestcam: {to: ":3000", gate: everyone}\n  tides: ":8000"\n';

test.each<[string, string, string[]]>([
  ['nothing', before, []],
  ['a line above', `  # a note\n${before}`, []],
  [
    'a rate',
    before.replace('everyone}', 'everyone, rate: 5/s}'),
    ['nestcam.saltmarsh.example: rate 5/s burst 5 added'],
  ],
  ['a gate', before.replace('everyone', 'wardens'), ['nestcam.saltmarsh.example: gate wardens (was everyone)']],
  ['a pause', before.replace('everyone}', 'everyone, paused: true}'), ['nestcam.saltmarsh.example: paused true added']],
  [
    'where it leads',
    before.replace(':3000', ':3001'),
    ['nestcam.saltmarsh.example: leads to 127.0.0.1:3001 (was 127.0.0.1:3000)'],
  ],
  [
    'a part',
    before.replace('everyone}', 'everyone, paths: {/clock: ":4000"}}'),
    ['nestcam.saltmarsh.example: /clock: new, leads to 127.0.0.1:4000'],
  ],
  [
    'a road',
    `${before}  roster: ":5000"\n`,
    ['roster.saltmarsh.example: new, leads to 127.0.0.1:5000, gate home', 'certificate roster.saltmarsh.example: new'],
  ],
  [
    'one road less',
    before.split('\n')[0] + '\n',
    ['tides.saltmarsh.example: removed', 'certificate tides.saltmarsh.example: removed'],
  ],
])('what changes on the map is said in its words: %s', (_, after, lines) => {
  expect(planChanges(plan(before), plan(after))).toEqual(lines);
});

test('a gate that keeps its name and lets others in, and a setting of the front', () => {
  const gated = before.replace('everyone', 'wardens');
  const wider = head.replace('198.51.100.0/24', '198.51.100.0/23');
  expect(planChanges(plan(gated), plan(gated, wider))).toEqual([
    'nestcam.saltmarsh.example: gate wardens: its rules changed',
  ]);
  const moved = head.replace('203.0.113.24', '203.0.113.25');
  expect(planChanges(plan(before), plan(before, moved))).toEqual(['front.address 203.0.113.25 (was 203.0.113.24)']);
});

test.each([
  ['domain: saltmarsh.example\nfront: {address: 203.0.113.24}\nroads: {}\n', ['Did you mean `domains`?']],
  ['domains: [a.example]\nfront: {adress: 203.0.113.24}\nroads: {}\n', ['Did you mean `address`?']],
  [
    'domains: [a.example]\nfront: {ip: 203.0.113.24}\nroads: {}\n',
    ['Write your public address: `address: 203.0.113.24`.'],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nemail: k@a.example\nroads: {}\n',
    [expect.stringContaining('acme: {contact:')],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {x: {port: 80}}\n',
    [expect.stringContaining('`to: SERVICE:PORT`')],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {x: {url: "http://b:1"}}\n',
    [expect.stringContaining('`to: SERVICE:PORT`')],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {x: {to: ":1", ssl: true}}\n',
    [expect.stringContaining('every road has HTTPS')],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {x: {to: ":1", auth: w}}\n',
    [expect.stringContaining('a gate with people')],
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {x: {to: ":1", allow: home}}\n',
    [expect.stringContaining('`gate: home`')],
  ],
])('a slip in a key is one finding, with what to write: %#', (text, remedies) => {
  expect(readMap({ file: 'mile-marker.yaml', text }).findings.map(({ remedy }) => remedy)).toEqual(remedies);
});
