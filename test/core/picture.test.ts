import fc from 'fast-check';
import { pictureOf, sizes, type Picture } from '../../src/core/report/picture.ts';
import { roadStates } from '../../src/core/report/state.ts';
import type { Tree } from '../../src/core/report/tree.ts';

/** The drawing of the roads, by its numbers: nothing lies on anything else, no text leaves its box, no road crosses another. */

const leaf = fc.record({
  road: fc.string({ maxLength: 70 }),
  name: fc.oneof(fc.string({ minLength: 1, maxLength: 90 }), fc.constant('潮汐.saltmarsh.example'.repeat(3))),
  leads: fc.string({ maxLength: 120 }),
  state: fc.constantFrom(...roadStates),
});
const gate = fc.record({
  name: fc.string({ minLength: 1, maxLength: 60 }),
  who: fc.string({ maxLength: 60 }),
  places: fc.array(
    fc.record({ title: fc.string({ maxLength: 80 }), leaves: fc.array(leaf, { minLength: 1, maxLength: 60 }) }),
    {
      minLength: 1,
      maxLength: 5,
    },
  ),
});
const anyTree: fc.Arbitrary<Tree> = fc.record({
  address: fc.string({ minLength: 1, maxLength: 60 }),
  front: fc.array(fc.string({ maxLength: 60 }), { minLength: 2, maxLength: 2 }),
  gates: fc.array(gate, { maxLength: 6 }),
});

function treeWith(roads: number): Tree {
  const leaves = Array.from({ length: roads }, (_, index) => ({
    road: `hide-${String(index)}`,
    name: `hide-${String(index)}.field.saltmarsh.example`,
    leads: `hide-${String(index)} at 127.0.0.1:${String(8000 + index)}`,
    state: roadStates[index % roadStates.length] ?? 'well',
  }));
  const gates = ['everyone', 'wardens', 'home'].map((name, index) => ({
    name,
    who: 'networks or a password',
    places: ['project observatory', 'redirects'].map((title, at) => ({
      title,
      leaves: leaves.filter((_, number) => number % 6 === index * 2 + at),
    })),
  }));
  return { address: '203.0.113.24', front: ['builtin', 'ports 80 and 443'], gates };
}

interface Rectangle {
  x: number;
  y: number;
  width: number;
  height: number;
}

const meet = (a: Rectangle, b: Rectangle): boolean =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
const holds = (outer: Rectangle, inner: Rectangle): boolean =>
  inner.x >= outer.x &&
  inner.y >= outer.y &&
  inner.x + inner.width <= outer.x + outer.width + 0.001 &&
  inner.y + inner.height <= outer.y + outer.height + 0.001;

/** All pairs that lie on each other. */
function pairsThatMeet<T extends Rectangle>(all: readonly T[]): Array<[T, T]> {
  return all.flatMap((one, index) =>
    all.slice(index + 1).flatMap((other): Array<[T, T]> => (meet(one, other) ? [[one, other]] : [])),
  );
}

/** What a text covers: letters rise above the base line and hang below it. */
function textBoxes({ lines }: Picture): Array<Rectangle & { text: string; within: number }> {
  return lines.map(({ x, y, width, kind, text, within }) => ({
    ...{ x, width, text, within, y: y - sizes[kind] * 0.8, height: sizes[kind] },
  }));
}

/** The straight pieces of every road, a pixel wide; those of one start share what they share. */
function pieces({ stretches }: Picture): Array<Rectangle & { from: number; to: number }> {
  return stretches.flatMap(({ from, to, points }) =>
    points.slice(1).map(([x, y], index) => {
      const [beforeX, beforeY] = points[index] ?? [x, y];
      return {
        ...{ from, to, x: Math.min(x, beforeX), y: Math.min(y, beforeY) },
        ...{ width: Math.abs(x - beforeX) + 0.01, height: Math.abs(y - beforeY) + 0.01 },
      };
    }),
  );
}

function check(tree: Tree): void {
  const picture = pictureOf(tree);
  expect(pictureOf(tree)).toEqual(picture);
  const whole = { x: 0, y: 0, width: picture.width, height: picture.height };
  expect(picture.boxes.filter((box) => !holds(whole, box))).toEqual([]);
  expect(pairsThatMeet(picture.boxes)).toEqual([]);
  const texts = textBoxes(picture);
  expect(texts.filter(({ within, ...text }) => !holds(picture.boxes[within] ?? whole, text))).toEqual([]);
  expect(pairsThatMeet(texts)).toEqual([]);
  const marks = picture.marks.map(({ x, y }) => ({ x: x - 6, y: y - 6, width: 12, height: 12 }));
  expect(marks.filter((mark) => texts.some((text) => text.width > 0 && meet(mark, text)))).toEqual([]);
  // Roads run between boxes, not through them, and those of different starts never meet.
  const roads = pieces(picture);
  const inside = picture.boxes.map(({ x, y, width, height }) => ({
    x: x + 1,
    y: y + 1,
    width: width - 2,
    height: height - 2,
  }));
  expect(roads.filter((road) => inside.some((box) => meet(road, box)))).toEqual([]);
  expect(pairsThatMeet(roads).filter(([one, other]) => one.from !== other.from)).toEqual([]);
  // Every end is in it, by what it is in full.
  const full = picture.lines.filter(({ kind }) => kind === 'name').map((line) => line.full);
  const names = tree.gates.flatMap(({ places }) => places.flatMap(({ leaves }) => leaves.map((one) => one.name)));
  expect(full).toHaveLength(names.length);
  expect(names.filter((name) => !full.some((text) => text.includes(name)))).toEqual([]);
  expect(picture.marks).toHaveLength(names.length);
}

test.each([0, 5, 30, 300])('%d roads: nothing overlaps, is cut off or crosses', (roads) => {
  const tree = treeWith(roads);
  check({
    ...tree,
    gates: tree.gates.map((one) => ({ ...one, places: one.places.filter(({ leaves }) => leaves.length > 0) })),
  });
});

test('so it is for any tree, however long its names', () => {
  fc.assert(fc.property(anyTree, check), { numRuns: 60 });
});
