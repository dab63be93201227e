import fc from 'fast-check';
import { excerptOf } from '../../src/core/map/excerpt.ts';
import { readMap } from '../../src/core/map/read-map.ts';

/** Roads as people write them, and things that reach further than a line. */
const pieces = [
  '  KEY: bird-log:8080\n',
  '  KEY: {to: "roster:80", gate: everyone}   # kept\n',
  '  KEY:\n    to: roster:80\n    paths:\n      /a: {redirect: /b}\n    # a thought\n\n',
  '  "KEY":\n    to: bird-log:8080\n    notes: |+\n      many\n\n      words\n\n',
  "  KEY: {to: roster:80,\n    gate: 'everyone'}\n",
  '\n  # paused\n  KEY: {redirect: "https://www.example.org", paused: true}\n',
];
const odd = [
  '    gate: everyone\n',
  '  "open: x\n',
  'pages: {}\n',
  'gates:\n',
  '  r1: roster:80\n',
  '  r1.saltmarsh.example: roster:80\n',
  '  long: >\n',
  '   less: x\n',
  '  7: roster:80\n',
  '  all: &all {to: roster:80}\n',
  '  more: *all\n',
  '  certificate: none\n',
  '# words\n',
  '\n',
  '---\n',
  '  shut: {to: roster:80, gate: nobody}\n',
];
const head = 'domains: [saltmarsh.example]\n';
const front = 'front: {address: 203.0.113.24}\n';
/** What stands above the roads, and below. */
const frames: ReadonlyArray<readonly [string, string]> = [
  [`${head}${front}roads:\n`, ''],
  [`# The marsh.\n${head}roads:\n`, front],
  [`${head}${front}roads:\n`, '# the end\ncompose: [compose.yaml]\n'],
];

const maps = fc.record({
  frame: fc.constantFrom(...frames),
  styles: fc.array(fc.nat(pieces.length - 1), { minLength: 5, maxLength: 14 }),
  crlf: fc.boolean(),
});

/** `taken` lines give way to others, and some bytes behind them. */
interface Change {
  at: number;
  byte: number;
  taken: number;
  put: string[];
}

const changes: fc.Arbitrary<Change> = fc.record({
  at: fc.nat(60),
  byte: fc.oneof({ weight: 4, arbitrary: fc.constant(0) }, { weight: 1, arbitrary: fc.nat(30) }),
  taken: fc.nat(2),
  put: fc.array(fc.constantFrom(...pieces, ...pieces, ...pieces, ...odd), { maxLength: 2 }),
});

function changed(text: string, { at, byte, taken, put }: Change): string {
  const lines = text.split(/(?<=\n)/);
  const here = Math.min(at, lines.length);
  const rest = lines.slice(here + taken).join('');
  const fresh = put.map((piece, index) => piece.replace('KEY', `fresh${String(index)}`)).join('');
  return lines.slice(0, here).join('') + fresh + rest.slice(byte);
}

test('a map of which some roads changed is read as if it were read whole', () => {
  let short = 0;
  fc.assert(
    fc.property(maps, changes, ({ frame: [above, below], styles, crlf }, change) => {
      const roads = styles.map((style, index) => (pieces[style] ?? '').replace('KEY', `r${String(index)}`));
      const lf = [above, ...roads, below].join('');
      const [before = '', after = ''] = [lf, changed(lf, change)].map((text) =>
        crlf ? text.replace(/\n/g, '\r\n') : text,
      );
      readMap({ file: 'map-one', text: before });
      const again = readMap({ file: 'map-one', text: after });
      const whole = readMap({ file: 'map-two', text: after });
      expect(JSON.parse(JSON.stringify(again).replaceAll('map-one', 'map-two'))).toEqual(
        JSON.parse(JSON.stringify(whole)),
      );
      const excerpt = excerptOf(before, after);
      if (again.map !== null && excerpt !== null && excerpt.text.length < after.length) short += 1;
    }),
    { numRuns: 800 },
  );
  // Else nothing was tried.
  expect(short).toBeGreaterThan(80);
});

test('of a long map the roads next to the change alone are read', () => {
  const roads = Array.from({ length: 400 }, (_, index) => `  r${String(index)}: roster:80\n`);
  const before = [head, front, 'roads:\n', ...roads].join('');
  const after = before.replace('r200: roster:80', 'r200: {to: roster:80, paused: true}');
  const excerpt = excerptOf(before, after);
  // What a change touches is read, and one more on either side, which must be what it was.
  expect(excerpt?.text.slice(after.indexOf('  r0:'))).toBe(
    after.slice(after.indexOf('  r198'), after.indexOf('  r203')),
  );
  expect([excerpt?.beside, excerpt?.above.length, excerpt?.below.length]).toEqual([['r198', 'r202'], 198, 197]);
  const { map } = readMap({ file: 'm', text: excerpt?.text ?? '' });
  expect(map?.roads.map(({ where }) => excerpt?.lineOf(where.line))).toEqual([202, 203, 204, 205, 206]);
});
