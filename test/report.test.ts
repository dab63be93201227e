import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import jsQR from 'jsqr';
import { keepRun } from '../src/adapters/files/runs.ts';
import { legNames } from '../src/core/findings/finding.ts';
import type { NewestRun, VerifyEntry } from '../src/core/legs/journal.ts';
import { metricsOf } from '../src/core/report/metrics.ts';
import { roadStates } from '../src/core/report/state.ts';
import { lookAt } from './support/browser.ts';
import { folderWith, mileMarker } from './support/program.ts';

/** The page of `report`, made from a map and from what runs of `verify` left there. */

type Letters = Record<number, string>;
const outcomes = { k: 'ok', x: 'wrong', w: 'warning', u: 'unsure', n: 'untested', '-': 'skipped' } as const;

interface Place {
  roads: number;
  /** How legs of a road came out in the newest run, where all was not well. */
  legs?: Letters;
  runs?: number;
  findings?: NewestRun['findings'];
  long?: boolean;
}

const nameOf = (index: number, long = false): string =>
  `hide-${String(index)}${long ? '-behind-the-third-sluice-of-the-northern-reedbeds' : ''}`;

/** A folder with a map and the journal of some runs, a day apart. */
function place({ roads, legs = {}, runs = 12, findings = [], long = false }: Place): string {
  const lines = Array.from({ length: roads }, (_, index) => {
    const gate = ['everyone', 'home', 'wardens'][index % 3] ?? '';
    const paused = index === 4 ? ', paused: true' : '';
    return index % 7 === 3
      ? `  ${nameOf(index, long)}: {redirect: "https://${nameOf(0, long)}.saltmarsh.example", gate: ${gate}}\n`
      : `  ${nameOf(index, long)}: {to: "http://10.64.0.${String(index % 250)}:${String(8000 + index)}", gate: ${gate}${paused}}\n`;
  });
  const map = `domains: [saltmarsh.example]
front: {address: 203.0.113.24, home-networks: [192.168.64.0/24], proxy: builtin}
engine: none
gates: {wardens: {people: w, networks: 192.168.64.0/24, need: any}}
certificates: {marsh: {from: practice, names: [saltmarsh.example], wildcard: true}}
roads:
${lines.join('')}`;
  const lettersOf = (index: number): string => legs[index] ?? 'kkkk-k-k';
  const tested = Array.from({ length: roads }, (_, index) => ({
    ...{ road: `${nameOf(index, long)}.saltmarsh.example`, legs: lettersOf(index), millis: 20 + index },
  }));
  const short = findings.map(({ rule, severity, cause, roads: names, message }) => ({
    rule,
    severity,
    cause,
    roads: names,
    message,
  }));
  const entries = Array.from({ length: runs }, (_, run): VerifyEntry => ({
    ...{ at: new Date(Date.parse('2026-11-29T03:10:00Z') - (runs - 1 - run) * 86_400_000).toISOString(), roads },
    ...{ findings: run === runs - 1 ? short : [], tested },
  }));
  const newest: NewestRun = {
    at: '2026-11-29T03:10:00.000Z',
    vantage: 'Tested from outside (198.51.100.7), at 203.0.113.24.',
    roads: tested.map(({ road, millis, legs: letters }) => ({
      road,
      millis,
      legs: legNames.map((leg, index) => {
        const outcome = outcomes[(letters[index] ?? '-') as keyof typeof outcomes];
        return { leg, outcome, says: outcome === 'ok' ? '200' : 'down' };
      }),
    })),
    findings,
  };
  return folderWith({
    'mile-marker.yaml': map,
    w: 'edda:$2b$10$abcdefghijklmnopqrstuuJ5Yyq1OQvPbqJxXl1h2Zr3Yx0Wv1Xe\n',
    ...(runs === 0
      ? {}
      : {
          '.mile-marker/verify.jsonl': entries.map((one) => `${JSON.stringify(one)}\n`).join(''),
          '.mile-marker/newest-run.json': JSON.stringify(newest),
        }),
  });
}

const down: NewestRun['findings'] = [
  {
    ...{
      rule: 'service-down',
      severity: 'error',
      cause: 'service:10.64.0.1:8001',
      roads: ['hide-1.saltmarsh.example'],
    },
    message: 'hide-1.saltmarsh.example: its page says <img src=x onerror=alert(1)> & "so on".',
    remedy: 'Start it: `docker compose up -d hide`.',
  },
];
const now = (): Date => new Date('2026-11-30T08:00:00Z');
const broken: Letters = { 0: 'kkxk----', 1: 'kkkk-x-k', 2: 'kkkk-w-k', 5: 'kkkk-u-k', 6: 'kkkkn--k' };

async function pageOf(folder: string, argv: string[] = []): Promise<{ page: string; err: string }> {
  const { code, err } = await mileMarker(['report', 'page.html', ...argv], folder, {}, { now });
  expect([code, err]).toEqual([0, err]);
  return { page: readFileSync(join(folder, 'page.html'), 'utf8'), err: err.replace(/\s+/g, ' ') };
}

test('the page has every road, what was seen of it, and what to do; nothing of it is taken for markup, and it needs nothing else', async () => {
  const folder = place({ roads: 8, legs: broken, findings: down });
  const { page, err } = await pageOf(folder);
  expect(err).toMatch(
    /Written: page\.html\. 8 roads: 2 wrong, 1 warning, 1 unsure, 1 not tested, 1 paused, 2 working\. The newest run is 28 hours old\./,
  );
  const text = page.replace(/<[^>]+>/g, ' ').replace(/\s+/g, ' ');
  for (let index = 0; index < 8; index += 1) expect(text).toContain(`${nameOf(index)}.saltmarsh.example`);
  expect(text).toContain(
    'Latest test: 29 November 2026, 03:10 UTC, 28 hours before this page was made. Tested from outside (198.51.100.7)',
  );
  expect(page).toContain('&lt;img src=x onerror=alert(1)&gt; &amp; &quot;so on&quot;');
  expect(page).not.toContain('<img');
  expect(page).toContain('<code>docker compose up -d hide</code>');
  // New at the last run, against the one of the night before.
  expect(text).toMatch(/29 November 2026, 03:10 UTC against 28 November 2026, 03:10 UTC new service-down/);
  expect(text).toMatch(/hide-1\.saltmarsh\.example refused passes passes refused/);
  expect(text).toMatch(
    /hide-1\.saltmarsh\.example\/ mobile data : refused \(403\) Wi-Fi at home : the service&#39;s page/,
  );
  expect(page.match(/class="code"/g)).toHaveLength(new Set(page.match(/<a href="https?:[^"]+"/g)).size);
  expect([
    page.match(/<[^>]*\b(?:src|srcset|xlink:href)=|@import|url\(|<link|<iframe/g),
    page.match(/<script/g)?.length,
  ]).toEqual([null, 1]);
  // Made anew over itself, and over nothing else.
  await pageOf(folder, ['--refresh', '60s']);
  expect(readFileSync(join(folder, 'page.html'), 'utf8')).toContain('<meta http-equiv="refresh" content="60"/>');
  writeFileSync(join(folder, 'mine.html'), '<p>my own page');
  const refused = await mileMarker(['report', 'mine.html'], folder);
  expect([refused.code, refused.err]).toEqual([
    2,
    expect.stringMatching(/mine\.html already exists, and was not written by Mile Marker/),
  ]);
  expect(readFileSync(join(folder, 'mine.html'), 'utf8')).toBe('<p>my own page');
});

/** What a phone reads from a code of the page. */
function readCode(svg: string): string | null {
  const side = Number(/viewBox="0 0 (\d+)/.exec(svg)?.[1]);
  const scale = 4;
  const pixels = new Uint8ClampedArray((side * scale) ** 2 * 4).fill(255);
  const darken = (column: number, row: number): void => {
    for (let y = row * scale; y < (row + 1) * scale; y += 1)
      for (let x = column * scale; x < (column + 1) * scale; x += 1)
        pixels.fill(0, (y * side * scale + x) * 4, (y * side * scale + x) * 4 + 3);
  };
  const rows = (/stroke="#000" d="([^"]+)"/.exec(svg)?.[1] ?? '').matchAll(/M(\d+) (\d+)\.5([^M]*)/g);
  for (const [, column = '', row = '', steps = ''] of rows) {
    let at = Number(column);
    for (const [, kind, length = ''] of steps.matchAll(/([hm])(\d+)/g)) {
      for (let x = at; kind === 'h' && x < at + Number(length); x += 1) darken(x, Number(row));
      at += Number(length);
    }
  }
  return jsQR(pixels, side * scale, side * scale)?.data ?? null;
}

test('each code leads to the address beside it', async () => {
  const folder = place({ roads: 9 });
  const map = join(folder, 'mile-marker.yaml');
  writeFileSync(
    map,
    `${readFileSync(map, 'utf8')}  deep: {to: "http://10.64.1.1:80", gate: everyone, paths: {"/Live/it's": "http://10.64.1.2:80"}}\n`,
  );
  const { page } = await pageOf(folder);
  const links = [...page.matchAll(/<li>(<svg class="code".*?<\/svg>)<div><p><a href="([^"]+)"/g)];
  expect(links.length).toBeGreaterThan(10);
  const read = links.map(([, svg = '', href = '']) => [
    readCode(svg)?.replace(/^[^/]*\/\/[^/]*/, (start) => start.toLowerCase()),
    href.replace('&#39;', "'"),
  ]);
  expect(read.filter(([code, href]) => code !== href)).toEqual([]);
});

test('three hundred roads fit in a megabyte', async () => {
  const { page } = await pageOf(place({ roads: 300, runs: 60, legs: broken, findings: down }));
  expect(Buffer.byteLength(page)).toBeLessThan(1_000_000);
  expect(page.match(/<th scope="row">hide-\d+\.saltmarsh\.example<\/th><td class="c-/g)).toHaveLength(300);
});

test('without a run nothing is said of one', async () => {
  const folder = place({ roads: 5, runs: 0 });
  const { page, err } = await pageOf(folder);
  expect(err).toMatch(
    /5 roads: 4 not tested yet, 1 paused\. The roads have not been tested yet, so it shows only the map\. next: mile-marker verify/,
  );
  const text = page.replace(/<style>.*?<\/style>/s, '').replace(/<[^>]+>/g, ' ');
  expect(text).toContain('The roads have not been tested yet');
  expect(text).not.toMatch(/\bwell\b|\bok\b|\d ms\b/);
  const tree = await mileMarker(['roads', '--tree'], folder);
  expect([tree.out, tree.err]).toEqual([
    expect.stringMatching(/· not tested yet/),
    expect.stringContaining('The roads have not been tested yet.'),
  ]);
});

test('only the drawing is a sound SVG file, and the terminal draws the same tree', async () => {
  const folder = place({ roads: 8, legs: broken });
  const { code } = await mileMarker(['report', '--svg', 'roads.svg'], folder, {}, { now });
  expect(code).toBe(0);
  const script = 'import sys, xml.dom.minidom as d; print(d.parse(sys.argv[1]).documentElement.tagName)';
  expect(
    execFileSync('/usr/bin/python3', ['-c', script, join(folder, 'roads.svg')])
      .toString()
      .trim(),
  ).toBe('svg');
  const { out } = await mileMarker(['roads', '--tree'], folder);
  for (let index = 0; index < 8; index += 1) {
    expect(out).toContain(`${nameOf(index)}.saltmarsh.example`);
    expect(readFileSync(join(folder, 'roads.svg'), 'utf8')).toContain(`${nameOf(index)}.saltmarsh.example`);
  }
  expect(out).toMatch(/✗ wrong +hide-1\.saltmarsh\.example/);
  expect(out.split('\n').filter((line) => [...line].length > 80)).toEqual([]);
  const both = await mileMarker(['report', 'page.html', '--svg', 'roads.svg'], folder);
  expect([both.code, existsSync(join(folder, 'page.html'))]).toEqual([2, false]);
});

describe('in a browser', () => {
  test.each([
    ['5 roads', { roads: 5 }, 1280, false],
    [
      'everything broken, in the dark',
      {
        roads: 30,
        findings: down,
        legs: Object.fromEntries(
          Array.from({ length: 30 }, (_, index) => [index, Object.values(broken)[index % 5] ?? '']),
        ),
      },
      1280,
      true,
    ],
    ['long names on a phone', { roads: 30, long: true, legs: broken, findings: down }, 390, false],
    ['not tested yet, on a phone, in the dark', { roads: 5, runs: 0 }, 390, true],
    ['40 roads', { roads: 40, runs: 60, legs: broken, findings: down }, 1280, false],
  ] as Array<[string, Place, number, boolean]>)(
    '%s: readable by all, as wide as the window, no text cut off, nothing asked for',
    async (_, given, width, dark) => {
      const { page } = await pageOf(place(given));
      expect(lookAt(page, { width, dark })).toEqual({ violations: [], beyond: 0, cut: [], asked: [] });
    },
  );
});

/** What the format's own reader makes of it. */
const readMetrics = `
import json, sys
from prometheus_client.openmetrics.parser import text_string_to_metric_families
print(json.dumps([[f.name, f.type, f.unit, [[s.name, s.labels, s.value] for s in f.samples]] for f in text_string_to_metric_families(sys.stdin.read())]))`;

type Families = Array<[string, string, string, Array<[string, Record<string, string>, number]>]>;

function familiesOf(text: string): Families {
  return JSON.parse(execFileSync('/usr/bin/python3', ['-c', readMetrics], { input: text }).toString()) as Families;
}

test('numbers are OpenMetrics, whatever names hold', () => {
  const name = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 20 });
  const run = fc.record({
    road: name,
    millis: fc.option(fc.nat(9000), { nil: null }),
    legs: fc.array(fc.record({ outcome: fc.constantFrom(...Object.values(outcomes)), says: fc.constant('') }), {
      maxLength: 8,
    }),
  });
  const input = fc.record({
    roads: fc.uniqueArray(run, { selector: ({ road }) => road, maxLength: 6 }),
    certificates: fc.uniqueArray(name, { maxLength: 4 }),
    states: fc.array(fc.constantFrom(...roadStates), { minLength: 6, maxLength: 6 }),
  });
  fc.assert(
    fc.property(input, ({ roads, certificates, states }) => {
      const tested = roads.map((road) => ({
        ...road,
        legs: road.legs.map((leg, index) => ({ leg: legNames[index] ?? 'dns', ...leg })),
      }));
      const text = metricsOf({
        newest: { at: '2026-11-29T03:10:00.000Z', vantage: '', roads: tested, findings: down },
        roads: tested.map(({ road }, index) => ({
          name: road,
          display: road,
          url: null,
          state: states[index] ?? 'well',
          legs: [],
        })),
        certificates: certificates.map((id) => ({
          id,
          names: [],
          life: { from: 0, renew: 1, to: Date.parse('2026-12-24T00:00:00Z') },
        })),
        now: now().getTime(),
      });
      const families = new Map(familiesOf(text).map(([family, , , samples]) => [family, samples]));
      expect(families.get('mile_marker_run_timestamp_seconds')).toEqual([
        ['mile_marker_run_timestamp_seconds', {}, 1_795_921_800],
      ]);
      expect(families.get('mile_marker_road_well')?.map(([, labels]) => labels['road'])).toEqual(
        tested.map(({ road }) => road),
      );
      const legs = tested.flatMap(({ road, legs: own }) =>
        own.flatMap(({ leg, outcome }) => (outcome === 'skipped' ? [] : [[road, leg, outcome === 'ok' ? 1 : 0]])),
      );
      expect(
        families.get('mile_marker_leg_ok')?.map(([, labels, value]) => [labels['road'], labels['leg'], value]),
      ).toEqual(legs);
      expect(
        families.get('mile_marker_certificate_left_days')?.map(([, labels, value]) => [labels['certificate'], value]),
      ).toEqual(certificates.map((id) => [id, 23]));
    }),
    { numRuns: 15 },
  );
});

test('what is kept of runs does not grow for ever, and belongs to its owner alone', async () => {
  const folder = place({ roads: 1, runs: 700 });
  const paths = {
    verify: join(folder, '.mile-marker/verify.jsonl'),
    newest: join(folder, '.mile-marker/newest-run.json'),
  };
  const entry = { at: '2026-11-30T03:10:00.000Z', roads: 1, findings: [] };
  const before = await keepRun(paths, entry, { at: entry.at, vantage: '', roads: [], findings: [] });
  expect(before?.at).toBe('2026-11-29T03:10:00.000Z');
  const kept = readFileSync(paths.verify, 'utf8')
    .split('\n')
    .filter((line) => line !== '');
  expect([kept.length, JSON.parse(kept[kept.length - 1] ?? '')]).toEqual([400, entry]);
  expect([paths.verify, paths.newest].map((path) => statSync(path).mode & 0o777)).toEqual([0o600, 0o600]);
});
