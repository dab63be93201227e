import stringWidth from 'string-width';
import { countWords, roadStates, stateWords, type RoadState } from './state.ts';
import type { Leaf, Tree, TreeGate, TreePlace } from './tree.ts';

/** Everything is in pixels of the drawing, from its upper left corner. */
interface Box {
  kind: 'front' | 'gate' | 'place';
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * One line of text.
 *
 * @property x of its beginning @property y of its base line @property width it takes at most, as letters of one width have it
 * @property text as it fits there @property full the same in full, with what there was no room for @property within number of its box
 */
export interface Line {
  kind: 'title' | 'small' | 'name' | 'leads' | 'state';
  x: number;
  y: number;
  width: number;
  text: string;
  full: string;
  state: RoadState | null;
  within: number;
}

/** The shape of a state, around its middle. */
export interface Mark {
  x: number;
  y: number;
  state: RoadState;
}

/** A stretch of road from one box to another: level, down, level. Stretches of one start share their beginning. */
export interface Stretch {
  from: number;
  to: number;
  points: Array<[number, number]>;
}

export interface Picture {
  width: number;
  height: number;
  boxes: Box[];
  lines: Line[];
  marks: Mark[];
  stretches: Stretch[];
}

/** A letter of a font of one width, as a share of its size; the widest of the usual ones has 0.615. */
const letterShare = 0.62;
export const sizes: Readonly<Record<Line['kind'], number>> = { title: 13, small: 11, name: 12, leads: 11, state: 11 };

const width = 1160;
const front = { x: 0, width: 206, height: 84 };
const gate = { x: 254, width: 196, height: 50 };
const place = { x: 498, width: width - 498, padding: 14 };
const step = { row: 20, title: 28, foot: 10, place: 12, gate: 26, margin: 8 };
const insideOfPlace = place.width - 2 * place.padding;
/** The mark before a name that stands alone, and the gap behind it. */
const besideName = 26;
/** In a place with more than so many ends they stand in columns, under what they have in common. */
const fewLeaves = 10;
const radiusOfRoad = 10;

/**
 * Lays out the picture of a tree: the front on the left, gates in the middle, places on the right with what ends there. One below the other, so that no
 * road crosses another. The same tree gives the same picture.
 */
export function pictureOf(tree: Tree): Picture {
  const drawing = new Drawing();
  const top = step.margin;
  const first = drawing.box({ kind: 'front', ...front, y: top });
  drawing.line(first, 'title', { x: 14, y: 27, room: front.width - 28, text: tree.address });
  for (const [index, text] of tree.front.entries())
    drawing.line(first, 'small', { x: 14, y: 46 + 18 * index, room: front.width - 28, text });
  const named = roomForNames(tree);
  let y = top;
  for (const [index, one] of tree.gates.entries()) {
    if (index > 0) y += step.gate;
    y = gateAt(drawing, { one, y, first, named });
  }
  const height = Math.max(y, top + front.height) + step.margin;
  return { width, height, ...drawing.done() };
}

/** Names that stand beside what they lead to begin and end at the same place in the whole drawing: as wide as the widest, within reason. */
function roomForNames({ gates }: Tree): number {
  const names = gates
    .flatMap(({ places }) => places)
    .filter(({ leaves }) => leaves.length <= fewLeaves)
    .flatMap(({ leaves }) => leaves.map(({ name }) => stringWidth(name)));
  return Math.min(360, Math.max(160, ...names.map((length) => length * sizes.name * letterShare + 22)));
}

interface GateInput {
  one: TreeGate;
  y: number;
  first: number;
  named: number;
}

function gateAt(drawing: Drawing, { one, y, first, named }: GateInput): number {
  const own = drawing.box({ kind: 'gate', ...gate, y });
  const states = one.places.flatMap(({ leaves }) => leaves.map(({ state }) => state));
  const room = gate.width - 28;
  drawing.line(own, 'title', {
    x: 14,
    y: 21,
    room,
    text: one.name,
    more: `${one.name}: ${one.who}; ${countWords(states)}`,
  });
  drawing.line(own, 'small', { x: 14, y: 38, room, text: one.who });
  drawing.road(first, own);
  let next = y;
  for (const [index, where] of one.places.entries()) {
    if (index > 0) next += step.place;
    const height = heightOf(where);
    const box = drawing.box({ kind: 'place', x: place.x, width: place.width, y: next, height });
    drawing.road(own, box);
    fill(drawing, box, where, named);
    next += height;
  }
  return Math.max(next, y + gate.height);
}

interface Block {
  state: RoadState | null;
  leaves: Leaf[];
}

/** A few ends bear their own word each; many stand under the word of their state. */
function blocksOf({ leaves }: TreePlace): Block[] {
  if (leaves.length <= fewLeaves) return [{ state: null, leaves }];
  return roadStates
    .map((state) => ({ state, leaves: leaves.filter((leaf) => leaf.state === state) }))
    .filter((block) => block.leaves.length > 0);
}

/** As many as there are ends for, if the longest name fits. */
function columnsOf({ state, leaves }: Block): number {
  if (state === null) return 1;
  const widest = Math.max(...leaves.map(({ name }) => stringWidth(name))) * sizes.name * letterShare;
  const fitting = Math.floor(insideOfPlace / (widest + besideName));
  return Math.max(1, Math.min(leaves.length > 40 ? 3 : 2, fitting));
}

const rowsOf = (block: Block): number => Math.ceil(block.leaves.length / columnsOf(block));

function heightOf(one: TreePlace): number {
  const rows = blocksOf(one).map((block) => rowsOf(block) + (block.state === null ? 0 : 1));
  return step.title + rows.reduce((sum, count) => sum + count * step.row, 0) + step.foot;
}

function fill(drawing: Drawing, box: number, where: TreePlace, named: number): void {
  const states = where.leaves.map(({ state }) => state);
  const title = `${where.title}: ${countWords(states)}`;
  drawing.line(box, 'small', { x: place.padding, y: 19, room: insideOfPlace, text: title });
  let y = step.title;
  for (const block of blocksOf(where)) {
    if (block.state !== null) {
      const text = `${stateWords[block.state]}, ${String(block.leaves.length)}`;
      drawing.line(box, 'state', { x: place.padding, y: y + 14, room: 120, text, state: block.state });
      y += step.row;
    }
    const columns = columnsOf(block);
    const rows = rowsOf(block);
    const room = insideOfPlace / columns;
    for (const [index, leaf] of block.leaves.entries()) {
      const at = { x: place.padding + Math.floor(index / rows) * room, y: y + (index % rows) * step.row };
      end(drawing, box, { leaf, ...at, room, named: block.state === null ? named : null });
    }
    y += rows * step.row;
  }
}

interface EndInput {
  leaf: Leaf;
  x: number;
  y: number;
  room: number;
  /** How much of the room is the name's, where what it leads to and its state stand beside it; null where the name stands alone. */
  named: number | null;
}

const stateRoom = 84;

/** The end of a way: its mark, its name and, where there is room, what it leads to and how it is. */
function end(drawing: Drawing, box: number, { leaf: { name, leads, state }, x, y, room, named }: EndInput): void {
  const more = `${name} leads to ${leads}: ${stateWords[state]}`;
  const first = x + 20;
  const base = y + 14;
  drawing.mark(box, { x: x + 6, y: y + 10, state });
  if (named === null) {
    drawing.line(box, 'name', { x: first, y: base, room: room - besideName, text: name, more });
    return;
  }
  const ended = room - 20 - named - stateRoom;
  drawing.line(box, 'name', { x: first, y: base, room: named - 10, text: name, more });
  drawing.line(box, 'leads', { x: first + named, y: base, room: ended - 10, text: leads, more });
  const word = { x: first + named + ended, y: base, room: stateRoom, text: stateWords[state], state };
  drawing.line(box, 'state', word);
}

interface LineInput {
  x: number;
  y: number;
  room: number;
  text: string;
  more?: string;
  state?: RoadState;
}

class Drawing {
  private readonly boxes: Box[] = [];
  private readonly lines: Line[] = [];
  private readonly marks: Mark[] = [];
  private readonly stretches: Stretch[] = [];

  /** Returns the number of the box. */
  box(box: Box): number {
    return this.boxes.push(box) - 1;
  }

  /** Places are counted from the corner of the box. */
  line(within: number, kind: Line['kind'], { x, y, room, text, more = text, state }: LineInput): void {
    const letter = sizes[kind] * letterShare;
    const fitting = elided(text, Math.floor(room / letter));
    const corner = this.corner(within);
    const common = { kind, x: corner.x + x, y: corner.y + y, full: more, within };
    this.lines.push({ ...common, text: fitting, width: letter * stringWidth(fitting), state: state ?? null });
  }

  mark(within: number, { x, y, state }: Mark): void {
    const corner = this.corner(within);
    this.marks.push({ x: corner.x + x, y: corner.y + y, state });
  }

  road(from: number, to: number): void {
    const [start, goal] = [this.boxes[from], this.boxes[to]];
    if (start === undefined || goal === undefined) return;
    const out = start.y + Math.min(start.height, 50) / 2;
    const into = goal.y + Math.min(goal.height, 50) / 2;
    const [left, right] = [start.x + start.width, goal.x];
    const turn = left + (right - left) / 2;
    const isLevel = Math.abs(into - out) < 2 * radiusOfRoad;
    const points: Stretch['points'] = [
      [left, out],
      [turn, out],
      [turn, into],
      [right, into],
    ];
    this.stretches.push({
      from,
      to,
      points:
        isLevel && out === into
          ? [
              [left, out],
              [right, into],
            ]
          : points,
    });
  }

  done(): Omit<Picture, 'width' | 'height'> {
    const { boxes, lines, marks, stretches } = this;
    return { boxes, lines, marks, stretches };
  }

  private corner(box: number): { x: number; y: number } {
    return this.boxes[box] ?? { x: 0, y: 0 };
  }
}

/** Both ends of what does not fit. */
function elided(text: string, most: number): string {
  if (stringWidth(text) <= most) return text;
  const letters = [...text];
  let [head, tail] = [Math.ceil((most - 1) * 0.6), Math.floor((most - 1) * 0.4)];
  const cut = (): string => `${letters.slice(0, head).join('')}…${tail === 0 ? '' : letters.slice(-tail).join('')}`;
  while (stringWidth(cut()) > most && head + tail > 0) {
    if (head > tail) head -= 1;
    else tail -= 1;
  }
  return cut();
}
