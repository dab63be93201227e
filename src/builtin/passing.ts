import { firstCounts, forgeable, type Act, type AnswerRules } from '../core/verdict/verdict.ts';

/** What is passed on to a service. */
export type Forward = Extract<Act, { act: 'forward' }>;

/** Headers that belong to one connection and are never passed on (RFC 9110 §7.6.1), and those that an upgrade brings. */
const ofConnection: ReadonlySet<string> = new Set([
  'connection',
  'expect',
  'http2-settings',
  'keep-alive',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
]);
const neverFromVisitors: ReadonlySet<string> = new Set([...ofConnection, ...forgeable]);

/** Names of other letters are dropped: many programs read `X_Forwarded_For` and `X.Forwarded.For` as `X-Forwarded-For`. */
const plainName = /^[a-z0-9-]+$/;

/** The header lines of a request as its service gets them, name and value by turns: what the front says itself, then what may pass of the visitor's. */
export function linesToService(
  rawHeaders: readonly string[],
  { headers, without }: Pick<Forward, 'headers' | 'without'>,
): string[] {
  const lines: string[] = [];
  for (const name in headers) lines.push(name, headers[name] ?? '');
  const own = lines.length;
  const seen: string[] = [];
  let cookies = '';
  let named = '';
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const given = rawHeaders[at] ?? '';
    const value = rawHeaders[at + 1] ?? '';
    const name = given.toLowerCase();
    if (neverFromVisitors.has(name)) {
      if (name === 'connection') named = named === '' ? value : `${named},${value}`;
      continue;
    }
    if (Object.hasOwn(headers, name) || !plainName.test(name) || without.includes(name)) continue;
    if (firstCounts.has(name)) {
      if (seen.includes(name)) continue;
      seen.push(name);
    }
    // HTTP/2 may send a cookie in crumbs; on HTTP/1 it is one line (RFC 9113 §8.2.3, RFC 6265 §5.4).
    if (name === 'cookie') cookies = cookies === '' ? value : `${cookies}; ${value}`;
    else lines.push(given, value);
  }
  if (cookies !== '') lines.push('Cookie', cookies);
  return withoutNamed(lines, named, own);
}

/** What becomes of a header of an answer: dropped, or passed on in place of the default with this number. */
type Fate = 'dropped' | number;

interface Dressing {
  fates: ReadonlyMap<string, Fate>;
  set: readonly string[];
  defaults: ReadonlyArray<[string, string]>;
}

/** By the rules they were made from, which last as long as the plan. */
const dressings = new WeakMap<AnswerRules, Dressing>();

function dressingOf(rules: AnswerRules): Dressing {
  const known = dressings.get(rules);
  if (known !== undefined) return known;
  const set = new Set(rules.set.map(([name]) => name.toLowerCase()));
  const defaults = rules.defaults.filter(([name]) => !set.has(name.toLowerCase()));
  const made: Dressing = {
    fates: new Map<string, Fate>([
      ...defaults.map(([name], index) => [name.toLowerCase(), index] as const),
      ...[...ofConnection, ...rules.drop].map((name) => [name, 'dropped'] as const),
    ]),
    set: rules.set.flat(),
    defaults,
  };
  dressings.set(rules, made);
  return made;
}

/** A service's header lines as the visitor gets them: with what the road's rules take away, set, and add where nothing is said. */
export function linesToVisitor(rawHeaders: readonly string[], rules: AnswerRules): string[] {
  const { fates, set, defaults } = dressingOf(rules);
  const lines: string[] = [];
  const said: boolean[] = [];
  let named = '';
  for (let at = 0; at + 1 < rawHeaders.length; at += 2) {
    const given = rawHeaders[at] ?? '';
    const value = rawHeaders[at + 1] ?? '';
    const name = given.toLowerCase();
    const fate = fates.get(name);
    if (fate === 'dropped') {
      if (name === 'connection') named = named === '' ? value : `${named},${value}`;
      continue;
    }
    if (fate !== undefined) said[fate] = true;
    lines.push(given, value);
  }
  const kept = withoutNamed(lines, named, 0);
  for (const text of set) kept.push(text);
  for (const [index, [name, value]] of defaults.entries()) if (said[index] !== true) kept.push(name, value);
  return kept;
}

/** What every connection says of itself, and the two that nobody takes away by naming them. */
const unnamed: ReadonlySet<string> = new Set(['', 'close', 'keep-alive', 'upgrade', 'content-length', 'host']);

/** Without what `Connection` says belongs to this connection too. @param own so many of the lines are the front's and stay */
function withoutNamed(lines: string[], connection: string, own: number): string[] {
  const tokens = connection === '' ? [] : connection.split(',').map((token) => token.trim().toLowerCase());
  const named = tokens.filter((token) => !unnamed.has(token));
  if (named.length === 0) return lines;
  return lines.filter((_, index) => index < own || !named.includes((lines[index - (index % 2)] ?? '').toLowerCase()));
}
