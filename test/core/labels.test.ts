import fc from 'fast-check';
import { labelledRoads } from '../../src/core/labels/labelled-roads.ts';
import { withContainers } from '../../src/core/inventory/with-containers.ts';
import type { Container } from '../../src/core/inventory/inventory.ts';
import { isUnder } from '../../src/core/names/host-name.ts';
import { mapOf } from '../support/plan.ts';
import { container, told } from '../support/told.ts';

/** What labels of containers may do: what the map lets them, and nothing else. */

const head = `domains: [saltmarsh.example, reedbed.example]
front: {address: 203.0.113.24}
engine: unix:///run/engine.sock
gates: {wardens: {networks: 192.168.64.0/24}, wide: {networks: 0.0.0.0/0}}
labels: {obey: [lab.saltmarsh.example, reedbed.example], gates: wardens}
roads: {log.reedbed.example: ":9"}
`;

const labelled = (name: string, label: string, change: Partial<Container> = {}): Container =>
  container(name, { labels: { 'mile-marker.road': label }, exposed: [8000], ...change });

const roadsOf = (...containers: Container[]): string[] =>
  labelledRoads(mapOf(head), {
    services: withContainers([], containers),
    networks: [],
    asked: true,
    failed: false,
    machines: [],
    nodes: [],
  }).roads.map(({ name, gates, parts, fromLabel }) => {
    const [{ leads } = { leads: null }] = parts;
    return `${name} ${gates.join()} ${leads?.kind === 'service' ? `${leads.service}:${String(leads.port)}` : ''} ${String(fromLabel)}`;
  });

test('a label makes a road where the map obeys labels, behind home or the gate that it may ask for', () => {
  expect(
    roadsOf(
      labelled('tides', '{name: tides.lab.saltmarsh.example}'),
      labelled('moths', 'name: MOTHS.reedbed.example.\nport: 8080\ngate: wardens', { exposed: [1, 2] }),
      labelled('gone', 'name: gone.lab.saltmarsh.example', { state: 'exited' }),
    ),
  ).toEqual([
    'gone.lab.saltmarsh.example home gone:8000 gone',
    'moths.reedbed.example wardens moths:8080 moths',
    'tides.lab.saltmarsh.example home tides:8000 tides',
  ]);
});

test.each<[string, Container[], string]>([
  [
    'broken YAML',
    [labelled('x', 'name: [')],
    'The label `mile-marker.road` of `x` is not understood. | Write in it: {name: NAME, port: PORT, gate: GATE}. Only the name is required.',
  ],
  ['more than three keys', [labelled('x', '{name: x.reedbed.example, methods: [GET]}')], 'not understood'],
  ['no name', [labelled('x', '{port: 80}')], 'has no name. | Write in it: {name: NAME.lab.saltmarsh.example}'],
  ['a name that is none', [labelled('x', '{name: "a b"}')], 'asks for a road at `a b`, which cannot be'],
  ['every other name', [labelled('x', '{name: others}')], 'asks for a road at `others`, which cannot be'],
  [
    "somebody else's name",
    [labelled('x', '{name: www.example.org}')],
    'asks for a road at www.example.org.saltmarsh.example, where the map allows no labels. | Write in its label a full name below lab',
  ],
  [
    'a name that is not for labels',
    [labelled('x', '{name: www}')],
    'asks for a road at www.saltmarsh.example, where the map allows no labels',
  ],
  [
    'a name of the map',
    [labelled('x', '{name: log.reedbed.example}')],
    'at log.reedbed.example, which is on the map already. The map wins.',
  ],
  [
    'a name that another has',
    [
      labelled('x', '{name: a.reedbed.example}', { made: '2026-02-01T00:00:00Z' }),
      labelled('y', '{name: a.reedbed.example}', { made: '2026-01-01T00:00:00Z' }),
    ],
    '`x` asks for a road at a.reedbed.example, which the label of `y` has.',
  ],
  [
    'a gate that is not there',
    [labelled('x', '{name: a.reedbed.example, gate: warden}')],
    'asks for the gate `warden`, which the map does not have. | Write in its label one of: home, wardens.',
  ],
  [
    'everyone',
    [labelled('x', '{name: a.reedbed.example, gate: everyone}')],
    'which the map lets no label have. | Leave `gate` out of its label, for `home`. Or let labels have it, in the map: labels: {gates: [everyone]}',
  ],
  [
    'a gate that is not for labels',
    [labelled('x', '{name: a.reedbed.example, gate: wide}')],
    'asks for the gate `wide`, which the map lets no label have',
  ],
  ['no port', [labelled('x', '{name: a.reedbed.example}', { exposed: [] })], 'asks for a road, but says no port.'],
  [
    'two ports',
    [labelled('x', '{name: a.reedbed.example}', { exposed: [8001, 8000] })],
    'has several ports: 8000, 8001. | Write in its label which one: {port: 8000}',
  ],
  ['TLS inside', [labelled('x', '{name: a.reedbed.example, port: 8443}')], 'to its port 8443, where it speaks TLS'],
  [
    'a database',
    [labelled('x', '{name: a.reedbed.example}', { image: 'postgres:16' })],
    'asks for a road, but its image is a database',
  ],
  [
    'who holds the engine',
    [labelled('x', '{name: a.reedbed.example}', { mounts: ['/var/run/docker.sock'] })],
    'asks for a road, but it holds the engine socket',
  ],
])('%s: no road, and why', (_, containers, words) => {
  expect(told(head, { containers }).filter((line) => line.startsWith('label-not-obeyed'))).toEqual([
    expect.stringContaining(words),
  ]);
});

test('whatever labels say, no road is outside the names and gates that the map gives them, and none takes another away', () => {
  const name = fc.oneof(
    fc.constantFrom(
      'log.reedbed.example',
      'a.reedbed.example',
      'a.lab.saltmarsh.example',
      'www',
      '*.reedbed.example',
      'others',
      'lab.saltmarsh.example.evil.example',
    ),
    fc.string(),
  );
  const label = fc.oneof(
    fc.string(),
    fc
      .record({ name, gate: fc.constantFrom('home', 'everyone', 'wardens', 'wide', 'x') }, { requiredKeys: [] })
      .map((keys) => JSON.stringify(keys)),
  );
  fc.assert(
    fc.property(fc.array(label, { maxLength: 6 }), (labels) => {
      const containers = labels.map((text, index) => labelled(`c${String(index)}`, text));
      const inventory = {
        services: withContainers([], containers),
        networks: [],
        asked: true,
        failed: false,
        machines: [],
        nodes: [],
      };
      const { roads, notObeyed } = labelledRoads(mapOf(head), inventory);
      for (const { name, gates } of roads) {
        expect(['lab.saltmarsh.example', 'reedbed.example'].some((obeyed) => isUnder(name, obeyed))).toBe(true);
        expect(name).not.toMatch(/^log\.reedbed|\*/);
        expect(['home', 'wardens']).toContain(gates.join());
      }
      expect(new Set(roads.map(({ name }) => name)).size).toBe(roads.length);
      expect(roads.length + notObeyed.length).toBe(labels.length);
    }),
  );
});
