import {
  Document,
  isAlias,
  isMap,
  isNode,
  isScalar,
  isSeq,
  LineCounter,
  parseAllDocuments,
  visit,
  type Node,
  type Pair,
  type YAMLError,
  type YAMLMap,
} from 'yaml';
import type { Evidence, Place } from '../findings/finding.ts';
import { remembered } from '../remembered.ts';
import type { YamlSlip } from './words.ts';

interface YamlProblem {
  say: YamlSlip;
  data: Evidence;
  where: Place;
}

/** A key that stands twice in one map: `first` is the line of the earlier one. */
interface DoubleKey {
  key: string;
  first: number;
  where: Place;
}

/** A read YAML text: its plain value, and where each part of it stands. */
export interface YamlText {
  value: unknown;
  problems: YamlProblem[];
  doubles: DoubleKey[];
  /** Where the value at `path` stands; for a path that is not there, the nearest one above it. */
  placeOf(path: readonly PropertyKey[]): Place;
  /** Where the key at the end of `path` stands. */
  placeOfKey(path: readonly PropertyKey[]): Place;
  /** The line of each key of the map at `path`; nothing where there is no map. */
  linesAt(path: readonly PropertyKey[]): Record<string, number>;
  /** The source text of the value at `path`, on one line, at most 60 characters. */
  textAt(path: readonly PropertyKey[]): string;
  /** The explicit tag of the value at `path`, such as `!override`, or null. */
  tagAt(path: readonly PropertyKey[]): string | null;
  /** Whether the value at `path` stands in brackets or braces, on a line of others. */
  isInFlow(path: readonly PropertyKey[]): boolean;
}

/** @property lines where each line begins */
interface Parsed {
  documents: ReturnType<typeof parseAllDocuments>;
  lines: LineCounter;
}

const parsed = remembered<string, Parsed>(
  (text) => {
    const lines = new LineCounter();
    const documents = parseAllDocuments(text, {
      lineCounter: lines,
      stringKeys: true,
      merge: true,
      // The library compares each key with every other.
      uniqueKeys: false,
      prettyErrors: false,
      logLevel: 'silent',
    });
    return { documents, lines };
  },
  (text) => text,
);

/** The one document of a text that can be read, to be edited by the places of its nodes; else null. It is shared: nothing may change it. */
export function documentOf(text: string): Document | null {
  const { documents } = parsed(text);
  const [document, second] = Array.isArray(documents) ? documents : [];
  return document === undefined || second !== undefined || document.errors.length > 0 ? null : document;
}

/** @property lineOf by what number a line is told, where the text is a part of another */
interface ReadText {
  file: string;
  text: string;
  lineOf?: (line: number) => number;
}

/**
 * Reads one YAML 1.2 document whose keys are all text, with merge keys (`<<`).
 *
 * Duplicate keys are found here and not by the library, since they must be told together with everything else.
 * Never throws: `value` is null when the structure is open to guesses, and `problems` says why.
 */
export function readYaml({ file, text, lineOf = (line) => line }: ReadText): YamlText {
  const { documents, lines } = parsed(text);
  const place = (offset: number): Place => {
    const { line, col } = lines.linePos(offset);
    return { file, line: lineOf(Math.max(1, line)), column: Math.max(1, col) };
  };
  const first = Array.isArray(documents) ? documents[0] : undefined;
  const document = first ?? new Document(null);
  const problems = problemsOf({ documents: first === undefined ? [] : documents, text, place });
  const locate = locator(document.contents);
  const readable: YamlText = {
    value: null,
    problems,
    doubles: doublesOf(document, place),
    placeOf: (path) => place(startOf(locate(path).value)),
    placeOfKey: (path) => place(startOf(locate(path).key)),
    linesAt: (path) => linesOf(locate(path).value, place),
    textAt: (path) => sourceText(text, locate(path).value),
    tagAt: (path) => tagOf(locate(path).value),
    isInFlow: (path) => isFlow(locate(path.slice(0, -1)).value),
  };
  if (problems.length > 0) return readable;
  try {
    readable.value = document.toJS({ maxAliasCount: 100 });
  } catch {
    problems.push({ say: 'alias-flood', data: {}, where: place(0) });
  }
  return readable;
}

interface ReadInput {
  documents: readonly Document.Parsed[] | readonly Document[];
  text: string;
  place: (offset: number) => Place;
}

function problemsOf({ documents, text, place }: ReadInput): YamlProblem[] {
  const document = documents[0];
  if (document === undefined || document.contents === null) {
    const errors = document?.errors ?? [];
    if (errors.length > 0) return errors.map((error) => slipOf(error, text, place));
    return [{ say: 'empty', data: {}, where: place(0) }];
  }
  const problems = document.errors.map((error) => slipOf(error, text, place));
  const second = documents[1];
  if (second !== undefined) problems.push({ say: 'documents', data: {}, where: place(startOf(second.contents)) });
  if (problems.length > 0) return dropEchoes(problems);
  problems.push(...aliasProblems(document, text, place));
  if (!isMap(document.contents)) {
    const got = isSeq(document.contents) ? 'a list' : 'a single text or number';
    problems.push({ say: 'not-a-map', data: { got }, where: place(startOf(document.contents)) });
  }
  return problems;
}

/** One slip often makes the parser stumble several times on the same line; the first time says it. */
function dropEchoes(problems: readonly YamlProblem[]): YamlProblem[] {
  const seen = new Set<number>();
  return problems.filter(({ where }) => {
    if (seen.has(where.line)) return false;
    seen.add(where.line);
    return true;
  });
}

function slipOf(error: YAMLError, text: string, place: (offset: number) => Place): YamlProblem {
  const where = place(error.pos[0]);
  const line = (text.split('\n')[where.line - 1] ?? '').trim();
  const data = { problem: firstSentence(error.message), text: short(line) };
  if (error.code === 'TAB_AS_INDENT' || /^ *\t/.test(text.split('\n')[where.line - 1] ?? '')) {
    const tabs = /^[ \t]*/.exec(text.split('\n')[where.line - 1] ?? '')?.[0].split('\t').length ?? 2;
    const count = Math.max(1, tabs - 1);
    return { say: 'tab', data: { tabs: count === 1 ? 'tab' : `${String(count)} tabs`, spaces: count * 2 }, where };
  }
  if (error.code === 'NON_STRING_KEY') return { say: 'key-not-text', data, where };
  if (error.code === 'BLOCK_AS_IMPLICIT_KEY' && /: .*: |: .*:$/.test(line)) return { say: 'nested-colon', data, where };
  return { say: 'syntax', data, where };
}

function firstSentence(message: string): string {
  return (message.split('\n')[0] ?? message).replace(/:$/, '');
}

function aliasProblems(document: Document, text: string, place: (offset: number) => Place): YamlProblem[] {
  const problems: YamlProblem[] = [];
  if (!text.includes('*')) return problems;
  visit(document, {
    Alias(_, alias) {
      const source = alias.resolve(document);
      const data = { name: alias.source };
      const at = startOf(alias);
      if (source === undefined) problems.push({ say: 'alias-unknown', data, where: place(at) });
      else if (inside(at, source)) problems.push({ say: 'circle', data, where: place(at) });
    },
  });
  return problems;
}

function inside(offset: number, node: Node): boolean {
  const range = node.range;
  return range !== null && range !== undefined && offset >= range[0] && offset < range[1];
}

function doublesOf({ contents }: Document, place: (offset: number) => Place): DoubleKey[] {
  const doubles: DoubleKey[] = [];
  const look = (node: unknown): void => {
    if (isSeq(node)) node.items.forEach(look);
    if (!isMap(node)) return;
    const seen = new Map<string, unknown>();
    for (const { key, value } of node.items) {
      look(value);
      if (!isScalar(key) || key.value === '<<') continue;
      const name = String(key.value);
      const first = seen.get(name);
      if (first === undefined) seen.set(name, key);
      else doubles.push({ key: name, first: place(startOf(first)).line, where: place(startOf(key)) });
    }
  };
  look(contents);
  return doubles;
}

interface Spot {
  key: unknown;
  value: unknown;
}

function locator(root: unknown): (path: readonly PropertyKey[]) => Spot {
  return (path) => {
    let spot: Spot = { key: root, value: root };
    for (const step of path) {
      const next = stepInto(spot.value, step);
      if (next === null) return spot;
      spot = next;
    }
    return spot;
  };
}

function stepInto(node: unknown, step: PropertyKey): Spot | null {
  if (isSeq(node)) {
    const item: unknown = typeof step === 'number' ? node.items[step] : undefined;
    return item === undefined ? null : { key: item, value: item };
  }
  if (!isMap(node)) return null;
  const pair = pairOf(node, String(step));
  return pair === null ? null : { key: pair.key, value: pair.value ?? pair.key };
}

/** The pairs of each map by their keys, made when the first is asked for: a map of ten thousand roads is asked for each of them. */
const pairsByKey = new WeakMap<YAMLMap, ReadonlyMap<string, Pair>>();

/** As many are looked through faster than they are put in order. */
const fewPairs = 8;

/** The pair of a key, or null. */
export function pairOf(map: YAMLMap, name: string): Pair | null {
  if (map.items.length <= fewPairs)
    return map.items.findLast(({ key }) => isScalar(key) && String(key.value) === name) ?? null;
  let pairs = pairsByKey.get(map);
  if (pairs === undefined) {
    // The last of two equal keys is the one whose value counts.
    pairs = new Map(map.items.flatMap((pair) => (isScalar(pair.key) ? [[String(pair.key.value), pair]] : [])));
    pairsByKey.set(map, pairs);
  }
  return pairs.get(name) ?? null;
}

function linesOf(node: unknown, place: (offset: number) => Place): Record<string, number> {
  const lines: Record<string, number> = {};
  if (isMap(node))
    for (const { key } of node.items) if (isScalar(key)) lines[String(key.value)] = place(startOf(key)).line;
  return lines;
}

function startOf(node: unknown): number {
  return isNode(node) ? (node.range?.[0] ?? 0) : 0;
}

function isFlow(node: unknown): boolean {
  return (isMap(node) || isSeq(node)) && node.flow === true;
}

function tagOf(node: unknown): string | null {
  return isNode(node) && !isAlias(node) ? (node.tag ?? null) : null;
}

function sourceText(text: string, node: unknown): string {
  if (!isNode(node) || node.range === null || node.range === undefined) return '';
  if (isAlias(node)) return `*${node.source}`;
  return short(text.slice(node.range[0], node.range[1])) || 'nothing';
}

function short(text: string): string {
  const line = text.trim().replace(/\s+/g, ' ');
  return line.length > 60 ? `${line.slice(0, 57)}...` : line;
}
