import { isWildcard } from '../../names/wildcard.ts';
import { escapePattern, oneLabel } from '../pattern.ts';
import { isCrowdName } from './crowd-name.ts';

/**
 * A value as nginx reads it back byte for byte: in double quotes, with `\` and `"` escaped, and `$` through a variable,
 * since nginx replaces variables in every kind of quotes and has no escape for them. Needs `dollarVariable` declared.
 *
 * @throws RangeError on control characters: `\n` in a quoted value becomes a real line end in a response header.
 */
export function quote(value: string): string {
  if (/[\u0000-\u001f\u007f]/.test(value))
    throw new RangeError('a control character cannot stand in nginx configuration');
  return quoteText(value);
}

/** The same of text with lines of its own, for what is a body and no header. */
export function quoteText(value: string): string {
  const escaped = value.replace(/[\\"]/g, '\\$&').replace(/\$/g, '${mile_marker_dollar}');
  return `"${escaped}"`;
}

/**
 * What stands between quotes for a value in which a road's own name occurs. The road of all other names has none, and neither has a crowd: nginx fills in the
 * one that was asked for, in lower case and without port or dot at its end, as the verdict has it.
 */
export function namedText(value: string, { name }: { name: string }): string {
  const text = quote(value).slice(1, -1);
  return isWildcard(name) || isCrowdName(name) ? text.replaceAll(name, () => '$host') : text;
}

/** A quoted value that goes on with one of nginx's own variables, such as `$request_uri`. */
export function quoteThen(value: string, variable: string): string {
  return `${quote(value).slice(0, -1)}${variable}"`;
}

/**
 * A regular expression where nginx fills in no variables: behind `~` in an `if`, a `map` or a `server_name`. A dollar sign means there
 * what it means in the expression.
 */
export function pattern(expression: string): string {
  if (/[\u0000-\u001f\u007f]/.test(expression))
    throw new RangeError('a control character cannot stand in nginx configuration');
  return `"${expression.replace(/[\\"]/g, '\\$&')}"`;
}

/** A name behind `server_name`. A wildcard covers one label only, which nginx's own `*.NAME` does not keep to. */
export function serverName(name: string): string {
  return isWildcard(name) ? pattern(`~^${oneLabel}${escapePattern(name.slice(1))}$`) : name;
}

/** First words of every file that is written; by them `readDump` knows our own. */
export const ownHeader = '# Written by Mile Marker';

/** Declares the variable that `quote` writes for a dollar sign. */
export const dollarVariable = 'geo $mile_marker_dollar {\n    default "$";\n}';

/** Text for a comment: one line, and no backslash at its end. */
export function comment(text: string): string {
  return `# ${text.replace(/[\u0000-\u001f\u007f]+/g, ' ').replace(/\\+$/, '')}`;
}

/** Lines inside a block. */
export function block(head: string, lines: readonly string[]): string[] {
  return [`${head} {`, ...lines.map((line) => (line === '' ? '' : `    ${line}`)), '}'];
}
