import { documentOf, pairOf } from '../yaml/document.ts';
import { isMap, isNode, isScalar, isSeq, parseDocument, stringify, type Document, type Pair, type YAMLMap } from 'yaml';

/** The keys of one road in the order in which they are written. */
export type RoadKeys = ReadonlyArray<readonly [string, unknown]>;

/**
 * Edits the text of a map in place: only the bytes of the one road change, comments, blank lines, quotes and the order of
 * everything else stay. Null when the text has a form that cannot be edited so (an alias, a value over several lines in
 * braces); the caller then says so and a person edits by hand. The caller also reads the result back: see `use-cases/edit.ts`.
 */
export function addRoad(text: string, key: string, keys: RoadKeys): string | null {
  const roads = roadsOf(text);
  if (roads === null) return null;
  if (roads.map === null) return addFirst({ text, roads, key, keys });
  if (roads.map.flow === true) return addToFlow(text, roads.map, `${scalarText(key, true)}: ${flowText(keys)}`);
  const last = roads.map.items[roads.map.items.length - 1];
  if (last === undefined) return null;
  const at = lineEnd(text, endOf(last));
  const indent = ' '.repeat(columnOf(text, startOf(last.key)));
  return splice(text, at, at, lines(text, at, blockLines(indent, key, keys)));
}

export function removeRoad(text: string, key: string): string | null {
  const found = findRoad(text, key);
  if (found === null) return null;
  if (found.map.flow === true) return removeFromFlow(text, found.map, found.pair);
  return removeLines(text, found.pair);
}

export function setPaused(text: string, key: string, paused: boolean): string | null {
  const found = findRoad(text, key);
  if (found === null) return null;
  const { value } = found.pair;
  if (isMap(value)) return paused ? pauseMap(text, value) : resumeMap(text, value);
  if (!paused || !isScalar(value) || typeof value.value !== 'string' || !hasRange(value)) return null;
  const [start, end] = value.range;
  return splice(text, start, end, `{to: ${scalarText(value.value, true)}, paused: true}`);
}

/**
 * Sets one key of a road, or takes it out. The short form, a road that is its `to` alone, is opened and closed again as it needs.
 *
 * @param value null takes the key out
 */
export function setKey(text: string, key: string, what: KeyValue): string | null {
  const found = findRoad(text, key);
  return found === null ? null : setKeyOf(text, found, what);
}

/** @property value null takes the key out */
interface KeyValue {
  name: string;
  value: unknown;
}

/** The same of several roads, with one reading of the map: from the last to the first, so that where the others stand stays true. */
export function setKeys(text: string, keys: readonly string[], what: KeyValue): string | null {
  const map = roadsOf(text)?.map ?? null;
  if (map === null) return null;
  const found = keys.flatMap((key) => pairOf(map, key) ?? []).sort((a, b) => startOf(b.key) - startOf(a.key));
  if (found.length < keys.length) return null;
  return found.reduce<string | null>((edited, pair) => {
    if (edited === null || isSaid(pair, what)) return edited;
    return setKeyOf(edited, { map, pair }, what);
  }, text);
}

function isSaid({ value: road }: Pair, { name, value }: KeyValue): boolean {
  const keys = isMap(road) ? (road.toJSON() as Record<string, unknown>) : { to: isScalar(road) ? road.value : null };
  return valueText(keys[name] ?? null, true) === valueText(value, true);
}

function setKeyOf(text: string, { map, pair }: { map: YAMLMap; pair: Pair }, { name, value }: KeyValue): string | null {
  const road = pair.value;
  if (isMap(road)) return value === null ? unsetIn(text, road, name) : setIn(text, road, name, value);
  if (!isScalar(road) || typeof road.value !== 'string' || !hasRange(road)) return null;
  if (value === null) return null;
  const [start, end] = road.range;
  const written =
    name === 'to'
      ? valueText(value, map.flow === true)
      : `{to: ${scalarText(road.value, true)}, ${name}: ${valueText(value, true)}}`;
  return splice(text, start, end, written);
}

/**
 * Sets one key anywhere in a map, by its path from the top, or takes it out; what is missing on the way is made.
 *
 * @param value null takes the key out
 */
export function setAt(text: string, path: readonly string[], value: unknown): string | null {
  const document = documentOf(text);
  let map: unknown = document?.contents;
  for (const [depth, name] of path.entries()) {
    if (!isMap(map)) return null;
    const below = path.slice(depth + 1);
    const there = pairOf(map, name);
    if (below.length > 0 && isMap(there?.value)) {
      map = there.value;
      continue;
    }
    if (value === null) return there === null || below.length > 0 ? text : unsetIn(text, map, name);
    const whole = below.reduceRight<unknown>((inside, key) => ({ [key]: inside }), value);
    return setIn(text, map, name, whole);
  }
  return null;
}

function setIn(text: string, map: YAMLMap, name: string, value: unknown): string | null {
  const there = pairOf(map, name);
  const inFlow = map.flow === true;
  const written = valueText(value, inFlow);
  if (there !== null && isOnOneLine(text, there)) return replaceValue(text, there, written);
  if (inFlow) return there === null ? addToFlow(text, map, `${name}: ${written}`) : null;
  const last = there ?? map.items[map.items.length - 1];
  if (last === undefined) return null;
  const at = lineEnd(text, endOf(last));
  const line = lines(text, at, [`${' '.repeat(columnOf(text, startOf(last.key)))}${name}: ${written}`]);
  const added = splice(text, at, at, line);
  return there === null ? added : removeLines(added, there);
}

function unsetIn(text: string, map: YAMLMap, name: string): string | null {
  const there = pairOf(map, name);
  if (there === null) return null;
  if (map.flow !== true) return removeLines(text, there);
  return shortened(text, map, there) ?? removeFromFlow(text, map, there);
}

/** The road's `to` alone, when that is all that is left of it. */
function shortened(text: string, map: YAMLMap, taken: Pair): string | null {
  const to = pairOf(map, 'to');
  if (map.items.length !== 2 || to === null || to === taken || !hasRange(map) || !isScalar(to.value)) return null;
  if (text.slice(map.range[0], map.range[1]).includes('\n')) return null;
  return splice(text, map.range[0], map.range[1], scalarText(String(to.value.value), false));
}

function isOnOneLine(text: string, { value }: Pair): boolean {
  if (!isNode(value) || !hasRange(value)) return false;
  const isBlock = (isMap(value) || isSeq(value)) && value.flow !== true;
  return !isBlock && !text.slice(value.range[0], value.range[1]).includes('\n');
}

function pauseMap(text: string, map: YAMLMap): string | null {
  const there = pairOf(map, 'paused');
  if (there !== null) return replaceValue(text, there, 'true');
  if (map.flow === true) return addToFlow(text, map, 'paused: true');
  const last = map.items[map.items.length - 1];
  if (last === undefined) return null;
  const at = lineEnd(text, endOf(last));
  return splice(text, at, at, lines(text, at, [`${' '.repeat(columnOf(text, startOf(last.key)))}paused: true`]));
}

function resumeMap(text: string, map: YAMLMap): string | null {
  const there = pairOf(map, 'paused');
  if (there === null) return null;
  if (map.flow !== true) return removeLines(text, there);
  // The short form that `pause` opened is closed again.
  return shortened(text, map, there) ?? removeFromFlow(text, map, there);
}

interface Roads {
  document: Document;
  /** The pair `roads:`, or null when the key is missing. */
  pair: Pair | null;
  /** Its value, or null when there is no road yet. */
  map: YAMLMap | null;
}

function roadsOf(text: string): Roads | null {
  const document = documentOf(text);
  if (document === null || !isMap(document.contents) || document.contents.flow === true) return null;
  const pair = pairOf(document.contents, 'roads');
  if (pair === null) return { document, pair, map: null };
  if (isMap(pair.value)) return { document, pair, map: pair.value.items.length === 0 ? null : pair.value };
  const empty = pair.value === null || (isScalar(pair.value) && pair.value.value === null);
  return empty ? { document, pair, map: null } : null;
}

function findRoad(text: string, key: string): { map: YAMLMap; pair: Pair } | null {
  const map = roadsOf(text)?.map ?? null;
  const pair = map === null ? null : pairOf(map, key);
  return map === null || pair === null ? null : { map, pair };
}

/** The first road goes below `roads:` and the comments that follow it; `{}` gives way to it. */
function addFirst({
  text,
  roads,
  key,
  keys,
}: {
  text: string;
  roads: Roads;
  key: string;
  keys: RoadKeys;
}): string | null {
  const written = blockLines('  ', key, keys);
  if (roads.pair === null)
    return splice(text, text.length, text.length, lines(text, text.length, ['roads:', ...written]));
  const { value } = roads.pair;
  const bare =
    isMap(value) && hasRange(value)
      ? splice(text, value.range[0], value.range[1], '').replace(/(roads:)[ \t]+(?=\r?\n|$)/, '$1')
      : text;
  const from = lineEnd(bare, endOfNode(roads.pair.key));
  const comments = /^(?:[ \t]+#[^\n]*(?:\r?\n|$)|[ \t]*\r?\n(?=[ \t]+#))*/.exec(bare.slice(from))?.[0] ?? '';
  const at = from + comments.length;
  return splice(bare, at, at, lines(bare, at, written));
}

function addToFlow(text: string, map: YAMLMap, entry: string): string | null {
  if (!hasRange(map)) return null;
  const close = map.range[1] - 1;
  const inside = text.slice(map.range[0] + 1, close);
  if (inside.includes('\n') || inside.includes('#')) return null;
  const trimmed = inside.trimEnd();
  const comma = trimmed === '' || trimmed.endsWith(',') ? '' : ',';
  const blank = trimmed === '' ? '' : ' ';
  return splice(text, map.range[0] + 1 + trimmed.length, map.range[0] + 1 + trimmed.length, `${comma}${blank}${entry}`);
}

function removeFromFlow(text: string, map: YAMLMap, pair: Pair): string | null {
  if (!hasRange(map)) return null;
  const [open, close] = [map.range[0] + 1, map.range[1] - 1];
  let [start, end] = [startOf(pair.key), endOf(pair)];
  const after = /^\s*,[ \t]*/.exec(text.slice(end, close))?.[0];
  const before = /,\s*$/.exec(text.slice(open, start))?.[0];
  if (after !== undefined) end += after.length;
  else if (before !== undefined) start -= before.length;
  return splice(text, start, end, '');
}

function removeLines(text: string, pair: Pair): string {
  const start = startOf(pair.key);
  return splice(text, start - columnOf(text, start), lineEnd(text, endOf(pair)), '');
}

function replaceValue(text: string, pair: Pair, written: string): string | null {
  const { value } = pair;
  return isNode(value) && hasRange(value) ? splice(text, value.range[0], value.range[1], written) : null;
}

function blockLines(indent: string, key: string, keys: RoadKeys): string[] {
  const name = scalarText(key, false);
  const [first] = keys;
  if (keys.length === 1 && first?.[0] === 'to') return [`${indent}${name}: ${scalarText(String(first[1]), false)}`];
  return [`${indent}${name}:`, ...keys.map(([part, value]) => `${indent}  ${part}: ${valueText(value, false)}`)];
}

function flowText(keys: RoadKeys): string {
  return `{${keys.map(([part, value]) => `${part}: ${valueText(value, true)}`).join(', ')}}`;
}

function valueText(value: unknown, inFlow: boolean): string {
  if (typeof value === 'string') return scalarText(value, inFlow);
  if (typeof value !== 'object' || value === null) return String(value);
  // Lists and maps go on one line, in the form that JSON and YAML share.
  if (Array.isArray(value)) return `[${value.map((part) => valueText(part, true)).join(', ')}]`;
  const pairs = Object.entries(value).filter(([, part]) => part !== undefined);
  return `{${pairs.map(([key, part]) => `${scalarText(key, true)}: ${valueText(part, true)}`).join(', ')}}`;
}

/** A text as YAML has it: plain where that reads back as the same text, else in double quotes. */
function scalarText(value: string, inFlow: boolean): string {
  if (inFlow && (/[,[\]{}"'#]/.test(value) || value.startsWith(':'))) return JSON.stringify(value);
  return stringify(value, { lineWidth: 0 }).trimEnd();
}

/** New lines to stand at `at`, in the line ends of the text; a last line without an end gets one first. */
function lines(text: string, at: number, written: readonly string[]): string {
  const end = text.includes('\r\n') ? '\r\n' : '\n';
  const lead = at > 0 && text[at - 1] !== '\n' ? end : '';
  return `${lead}${written.map((line) => `${line}${end}`).join('')}`;
}

/** A road as it is written, with the short form opened; null when there is no such road. */
export function writtenRoad(text: string, key: string): Record<string, unknown> | null {
  const value: unknown = findRoad(text, key)?.pair.value;
  if (isMap(value)) return value.toJSON() as Record<string, unknown>;
  return isScalar(value) ? { to: value.value } : null;
}

/** What a person typed as a value: as YAML has it, so that lists, maps and numbers can be typed. */
export function typedValue(text: string): unknown {
  const document = parseDocument(text, { stringKeys: true, prettyErrors: false, logLevel: 'silent' });
  const value: unknown = document.errors.length > 0 ? text : document.toJS();
  return value ?? text;
}

function splice(text: string, start: number, end: number, written: string): string {
  return text.slice(0, start) + written + text.slice(end);
}

/** Where the line of `offset` ends, behind its line end. An offset just behind a line end is taken as the end of that line. */
function lineEnd(text: string, offset: number): number {
  if (offset > 0 && text[offset - 1] === '\n') return offset;
  const end = text.indexOf('\n', offset);
  return end === -1 ? text.length : end + 1;
}

function columnOf(text: string, offset: number): number {
  return offset - (text.lastIndexOf('\n', offset - 1) + 1);
}

function startOf(node: unknown): number {
  return isNode(node) && hasRange(node) ? node.range[0] : 0;
}

/** Where a pair really ends: a block's own range reaches over the comments behind it. */
function endOf({ key, value }: Pair): number {
  if ((isMap(value) || isSeq(value)) && value.flow !== true) {
    const last = value.items[value.items.length - 1];
    if (last !== undefined) return isMap(value) ? endOf(last as Pair) : endOfNode(last);
  }
  return value === null ? endOfNode(key) : Math.max(endOfNode(key), endOfNode(value));
}

function endOfNode(node: unknown): number {
  return isNode(node) && hasRange(node) ? node.range[1] : 0;
}

function hasRange<T extends { range?: unknown }>(node: T): node is T & { range: [number, number, number] } {
  return Array.isArray(node.range);
}
