import stringWidth from 'string-width';
import { countWords, stateSigns, stateWords, type RoadState } from '../../core/report/state.ts';
import type { Leaf, Tree, TreePlace } from '../../core/report/tree.ts';
import { style, type Style } from './style.ts';

/** The tree of a report for a terminal: the front, its gates, what stands together behind each, and every end with its state. */
export function formatTree(
  { address, front, gates }: Tree,
  { width, colour }: { width: number; colour: boolean },
): string {
  const paint = style(colour);
  const named = Math.max(
    0,
    ...gates.flatMap(({ places }) => places.flatMap(({ leaves }) => leaves.map(({ name }) => stringWidth(name)))),
  );
  const lines = [`${paint.bold(address)}  ${front.join(', ')}`];
  for (const [index, { name, who, places }] of gates.entries()) {
    const isLast = index === gates.length - 1;
    lines.push(`${isLast ? '└─ ' : '├─ '}${paint.bold(name)}  ${who}`);
    lines.push(
      ...places.flatMap((place, at) =>
        placeLines(place, { before: isLast ? '   ' : '│  ', isLast: at === places.length - 1, named, width, paint }),
      ),
    );
  }
  return `${lines.join('\n')}\n`;
}

interface Inside {
  before: string;
  isLast: boolean;
  /** Columns of the longest name. */
  named: number;
  width: number;
  paint: Style;
}

function placeLines({ title, leaves }: TreePlace, { before, isLast, ...inside }: Inside): string[] {
  const below = `${before}${isLast ? '   ' : '│  '}`;
  const counts = countWords(leaves.map(({ state }) => state));
  return [
    `${before}${isLast ? '└─ ' : '├─ '}${title}: ${counts}`,
    ...leaves.map((leaf) => `${below}${leafWords(leaf, below.length, inside)}`),
  ];
}

/** Where the terminal is too narrow, what it leads to is cut or left out: `roads` has it in full. */
function leafWords(
  { name, leads, state }: Leaf,
  indent: number,
  { named, width, paint }: Omit<Inside, 'before' | 'isLast'>,
): string {
  const word = stateWords[state].padEnd(10);
  const padded = `${name}${' '.repeat(Math.max(0, named - stringWidth(name)))}`;
  const first = `${colours(paint)[state](`${stateSigns[state]} ${word}`)}  ${padded}`;
  const room = width - indent - named - 16;
  if (leads.length <= room) return `${first}  ${leads}`;
  return room >= 20 ? `${first}  ${leads.slice(0, room - 1)}…` : first.trimEnd();
}

const colours = (paint: Style): Record<RoadState, (text: string) => string> => ({
  wrong: paint.red,
  warning: paint.yellow,
  unsure: paint.blue,
  untested: paint.blue,
  unknown: paint.dim,
  paused: paint.dim,
  well: paint.green,
});
