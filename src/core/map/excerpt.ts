import { isMap, isNode, isScalar, type YAMLMap } from 'yaml';
import { documentOf, pairOf } from '../yaml/document.ts';

/**
 * What of a map has to be read again after a change within its roads.
 *
 * @property text the changed map without the roads that nothing touched, but for the one before the change and the one behind it
 * @property lineOf the line in the whole text of a line of this one
 * @property beside keys of these two
 * @property above keys of the roads left out above the change
 * @property below keys of those left out below
 * @property moved lines by which these stand further down than before
 */
interface Excerpt {
  text: string;
  lineOf: (line: number) => number;
  beside: readonly string[];
  above: readonly string[];
  below: readonly string[];
  moved: number;
}

/** An anchor, an alias or a merge key: what stands elsewhere counts too. */
const refers = /(?:^|[\s:,[{-])(?:[&*][^\s,\]}]|<<)/m;

/**
 * Null where more than roads changed, or roads are written in a way that their lines alone do not tell. A road is lines between two keys at the same
 * indentation: whatever is inside them ends where the next key begins, or is an error of YAML that reading the excerpt meets as well.
 */
export function excerptOf(before: string, after: string): Excerpt | null {
  const roads = roadLines(before);
  const [first] = roads ?? [];
  if (roads === null || first === undefined || refers.test(before) || refers.test(after)) return null;
  const [same, oldEnd] = changedLines(before, after);
  if (same <= first.start || oldEnd > (roads[roads.length - 1]?.end ?? 0)) return null;
  const from = Math.max(0, roads.findIndex(({ end }) => end >= same) - 1);
  const to = Math.min(roads.length - 1, roads.findLastIndex(({ start }) => start <= oldEnd) + 1);
  const [window, last] = [roads[from], roads[to]];
  if (window === undefined || last === undefined) return null;
  const end = roads[roads.length - 1]?.end ?? 0;
  const grown = after.length - before.length;
  const head = after.slice(0, first.start);
  const changed = after.slice(window.start, last.end + grown);
  const [upper, lower] = [before.slice(first.start, window.start), before.slice(last.end, end)].map(linesIn);
  const [toWindow, toEnd] = [linesIn(head), linesIn(head) + linesIn(changed)];
  return {
    text: head + changed + after.slice(end + grown),
    lineOf: (line) => line + (line > toWindow ? (upper ?? 0) : 0) + (line > toEnd ? (lower ?? 0) : 0),
    beside: keysOf([window, last].filter(({ start: own, end: next }) => next < same || own > oldEnd)),
    above: keysOf(roads.slice(0, from)),
    below: keysOf(roads.slice(to + 1)),
    moved: linesIn(changed) - linesIn(before.slice(window.start, last.end)),
  };
}

const keysOf = (roads: readonly RoadLines[]): string[] => roads.map(({ key }) => key);

interface RoadLines {
  key: string;
  /** Of its first line, and of the next road's; what stands between the two is its own. */
  start: number;
  end: number;
}

/** Null where roads are in braces, or a key does not begin its line. */
function roadLines(text: string): RoadLines[] | null {
  const root = documentOf(text)?.contents;
  if (!isBlock(root)) return null;
  const pair = pairOf(root, 'roads');
  if (pair === null || !isBlock(pair.value)) return null;
  const next = root.items[root.items.indexOf(pair) + 1];
  const keys = [...pair.value.items, ...(next === undefined ? [] : [next])].map(({ key }) => key);
  const starts = keys.map((key) => lineStart(text, key));
  const names = pair.value.items.map(({ key }) => (isScalar(key) ? String(key.value) : ''));
  // Of keys that are numbers the order is another one.
  if (starts.includes(null) || names.some((name) => /^\d*$/.test(name))) return null;
  return names.map((key, index) => ({ key, start: starts[index] ?? 0, end: starts[index + 1] ?? text.length }));
}

function isBlock(node: unknown): node is YAMLMap {
  return isMap(node) && node.flow !== true;
}

function lineStart(text: string, key: unknown): number | null {
  const at = isNode(key) ? (key.range?.[0] ?? 0) : 0;
  const start = text.lastIndexOf('\n', at - 1) + 1;
  return text.slice(start, at).trim() === '' ? start : null;
}

/** Where in the text of before the lines begin and end that are others now. */
function changedLines(one: string, other: string): [number, number] {
  const most = Math.min(one.length, other.length);
  let start = 0;
  while (start < most && one.charCodeAt(start) === other.charCodeAt(start)) start += 1;
  let end = 0;
  while (end < most - start && one.charCodeAt(one.length - 1 - end) === other.charCodeAt(other.length - 1 - end))
    end += 1;
  const rest = one.indexOf('\n', Math.max(one.length - end - 1, 0));
  return [one.lastIndexOf('\n', start - 1) + 1, rest === -1 ? one.length : rest + 1];
}

function linesIn(text: string): number {
  let count = 0;
  for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) count += 1;
  return count;
}
