import { parseNetwork } from '../../networks/address.ts';
import type { Line } from './tree.ts';

/** What a condition asks of a request (configuration manual §7): a name, a path, a visitor, or something that a map has no words for. */
export type Test =
  | { of: 'names'; names: readonly string[]; suffixes: readonly string[]; isPattern: boolean }
  | { of: 'secure' }
  | { of: 'prefix'; prefixes: readonly string[] }
  | { of: 'networks'; networks: readonly string[] }
  | { of: 'people'; list: string }
  | { of: 'other'; words: string };

/** One word of a condition. */
interface Term {
  test: Test;
  isNegated: boolean;
}

/** Alternatives of which one is enough, each of terms that must all hold. */
export type Condition = ReadonlyArray<readonly Term[]>;

/** The ACLs of a section by name; several lines of one name are alternatives. */
export function aclsOf(lines: readonly Line[], lists: ReadonlyMap<string, string>): Map<string, Test[]> {
  const acls = new Map<string, Test[]>();
  for (const { words } of lines) {
    const [kind, name = '', ...rest] = words;
    if (kind === 'acl') acls.set(name, [...(acls.get(name) ?? []), testOf(rest, lists)]);
  }
  return acls;
}

const hostFetch = /^(?:req\.)?f?hdr(?:_(beg|dom|end|reg|sub|dir))?\(host(?:,-?1)?\)/i;

/** Fetch, flags and values of an ACL or of what stands in braces. */
function testOf(words: readonly string[], lists: ReadonlyMap<string, string>): Test {
  const [fetch = ''] = words;
  const other: Test = { of: 'other', words: words.join(' ') };
  let match = '';
  const values: string[] = [];
  for (let index = 1; index < words.length; index += 1) {
    const word = words[index] ?? '';
    const next = words[index + 1] ?? '';
    if (word === '-m') match = next;
    else if (word === '-f') {
      const list = lists.get(next);
      if (list === undefined) return other;
      values.push(...keysOf(list));
    } else if (word === '--') values.push(...words.slice(index + 1));
    else if (word !== '-i' && word !== '-n' && word !== '-u') values.push(word);
    if (word === '-m' || word === '-f' || word === '-u') index += 1;
    if (word === '--') break;
  }
  const isHost = hostFetch.exec(fetch);
  const isSni = /^(?:ssl_fc_sni|req\.ssl_sni|req_ssl_sni)\b/.exec(fetch);
  if (isHost !== null || isSni !== null) return namesTest(match === '' ? (isHost?.[1] ?? '') : match, values);
  if (fetch === 'ssl_fc' || (fetch === 'dst_port' && values.join() === '443')) return { of: 'secure' };
  const path = /^(?:path|capture\.req\.uri|url)(?:_(beg|dir|end|reg|sub))?\b/.exec(fetch);
  if (path !== null) {
    const how = match === '' ? (path[1] ?? '') : match;
    if (how === 'beg') return { of: 'prefix', prefixes: values };
    return other;
  }
  if (fetch === 'src' && values.length > 0) {
    const networks = values.map((value) => parseNetwork(value));
    return networks.includes(null) ? other : { of: 'networks', networks: networks.flatMap((one) => one ?? []) };
  }
  const list = /^http_auth(?:_group)?\(([^)]+)\)/.exec(fetch)?.[1];
  if (list !== undefined) return { of: 'people', list };
  return other;
}

function namesTest(how: string, values: readonly string[]): Test {
  const lower = values.map((value) => value.toLowerCase().replace(/:\d+$/, ''));
  const none = { of: 'names' as const, names: [], suffixes: [], isPattern: false };
  if (how === '' || how === 'str') return { ...none, names: lower };
  if (how === 'end' || how === 'dom')
    return {
      ...none,
      names: lower.filter((one) => how === 'dom' || !one.startsWith('.')),
      suffixes: lower.map((one) => `.${one.replace(/^\./, '')}`),
    };
  if (how === 'beg' && lower.every((one) => one.includes('.') && !one.endsWith('.'))) return { ...none, names: lower };
  return { ...none, isPattern: true };
}

/** Keys of a list of one word a line, or of a map file. */
function keysOf(text: string): string[] {
  return pairsOf(text).map(([key]) => key);
}

/** What a map file says, in its order (§7.3.1, `map`). */
export function pairsOf(text: string): Array<[string, string]> {
  return text.split('\n').flatMap((line): Array<[string, string]> => {
    const [, key = '', value = ''] = /^\s*([^\s#]\S*)\s*(.*?)\s*$/.exec(line) ?? [];
    return key === '' ? [] : [[key, value]];
  });
}

/** What stands behind `if` or `unless` in a line; null without either, which holds for all. */
export function conditionOf(
  words: readonly string[],
  acls: ReadonlyMap<string, readonly Test[]>,
  lists: ReadonlyMap<string, string>,
): Condition | null {
  const at = words.findIndex((word) => word === 'if' || word === 'unless');
  if (at < 0) return null;
  let alternatives: Term[][] = [[]];
  let negate = false;
  for (let index = at + 1; index < words.length; index += 1) {
    const word = words[index] ?? '';
    if (word === 'or' || word === '||') {
      alternatives.push([]);
      continue;
    }
    if (word === 'and') continue;
    if (word === '!') {
      negate = !negate;
      continue;
    }
    const bare = word.replace(/^!/, '');
    const isNegated = negate !== word.startsWith('!');
    negate = false;
    let tests: readonly Test[];
    if (bare === '{') {
      const end = words.indexOf('}', index);
      tests = [testOf(words.slice(index + 1, end < 0 ? undefined : end), lists)];
      index = end < 0 ? words.length : end;
    } else tests = acls.get(bare) ?? builtIn(bare);
    alternatives = joined(alternatives, tests, isNegated);
  }
  return words[at] === 'unless' ? negated(alternatives) : alternatives;
}

function builtIn(name: string): Test[] {
  return name === 'TRUE' ? [] : [{ of: 'other', words: name }];
}

/** Adds what an ACL asks to the last alternative; an ACL of several lines is several. */
function joined(alternatives: readonly Term[][], tests: readonly Test[], isNegated: boolean): Term[][] {
  const before = alternatives.slice(0, -1);
  const last = alternatives[alternatives.length - 1] ?? [];
  const merged = merge(tests);
  if (isNegated || merged.length < 2) return [...before, [...last, ...merged.map((test) => ({ test, isNegated }))]];
  return [...before, ...merged.map((test) => [...last, { test, isNegated }])];
}

/** Lines of one kind are one test with all their values. */
function merge(tests: readonly Test[]): Test[] {
  const found: Test[] = [];
  for (const test of tests) {
    const known = found.findIndex((one) => one.of === test.of && test.of !== 'other' && test.of !== 'people');
    const one = found[known];
    if (one?.of === 'names' && test.of === 'names')
      found[known] = {
        of: 'names',
        names: [...one.names, ...test.names],
        suffixes: [...one.suffixes, ...test.suffixes],
        isPattern: one.isPattern || test.isPattern,
      };
    else if (one?.of === 'networks' && test.of === 'networks')
      found[known] = { of: 'networks', networks: [...one.networks, ...test.networks] };
    else if (one?.of === 'prefix' && test.of === 'prefix')
      found[known] = { of: 'prefix', prefixes: [...one.prefixes, ...test.prefixes] };
    else found.push(test);
  }
  return found;
}

/** More alternatives than anybody writes are not worked out. */
const mostAlternatives = 64;

/** By De Morgan; what comes out is alternatives again. */
function negated(alternatives: Condition): Term[][] {
  if (alternatives.reduce((product, terms) => product * terms.length, 1) > mostAlternatives)
    return [[{ test: { of: 'other', words: 'many conditions' }, isNegated: true }]];
  return alternatives.reduce<Term[][]>(
    (found, terms) =>
      found.flatMap((one) => terms.map(({ test, isNegated }) => [...one, { test, isNegated: !isNegated }])),
    [[]],
  );
}

/**
 * What is left of a condition for one name on one listener: alternatives without what is known of them. Null when none of them can hold.
 *
 * @param name a host name, or `*.DOMAIN` for all below one
 */
export function forName(condition: Condition | null, name: string, secure: boolean): Condition | null {
  if (condition === null) return [[]];
  const left = condition.flatMap((terms) => {
    const rest = terms.flatMap((term): Term[] => {
      if (term.test.of === 'secure') return [];
      if (term.test.of !== 'names') return [term];
      return term.test.isPattern ? [{ ...term, test: { of: 'other', words: 'a pattern of names' } }] : [];
    });
    const isOut = terms.some(({ test, isNegated }) => {
      if (test.of === 'secure') return secure === isNegated;
      return test.of === 'names' && !test.isPattern && isNamed(test, name) === isNegated;
    });
    return isOut ? [] : [rest];
  });
  return left.length === 0 ? null : left;
}

function isNamed({ names, suffixes }: Extract<Test, { of: 'names' }>, name: string): boolean {
  const bare = name.replace(/^\*/, '');
  return (
    names.includes(name) || suffixes.some((suffix) => (name.startsWith('*') ? bare === suffix : name.endsWith(suffix)))
  );
}
