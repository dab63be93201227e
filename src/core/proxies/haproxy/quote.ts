/**
 * Words as haproxy reads them back byte for byte (configuration manual §2.2): in strong quotes, inside which nothing is replaced; a quote of the same kind
 * stands between two of them.
 *
 * @throws RangeError on control characters, which would end the line or a header
 */
export function quote(value: string): string {
  refuseControl(value);
  return `'${value.replace(/'/g, `'\\''`)}'`;
}

/** A word that is a log format, with nothing filled in (§8.2.4). */
export function quoteFormat(value: string): string {
  return quote(escapeFormat(value));
}

/** Text between the expressions of a log format. */
export function escapeFormat(value: string): string {
  return value.replace(/%/g, '%%');
}

/** An argument of a converter, itself inside a word (§2.2): quoted once more. */
export function argument(value: string): string {
  refuseControl(value);
  // Between double quotes a backslash and a double quote are escaped.
  return `"${value.replace(/[\\"]/g, '\\$&')}"`;
}

function refuseControl(value: string): void {
  if (/[\u0000-\u001f\u007f]/.test(value))
    throw new RangeError('a control character cannot stand in haproxy configuration');
}

/** First words of every file that is written. */
export const ownHeader = '# Written by Mile Marker';

/** Text for a comment: one line, and no backslash at its end. */
export function comment(text: string): string {
  return `# ${text.replace(/[\u0000-\u001f\u007f]+/g, ' ').replace(/\\+$/, '')}`;
}

/** A section with its lines. */
export function section(head: string, lines: readonly string[]): string[] {
  return [head, ...lines.map((line) => (line === '' ? '' : `    ${line}`)), ''];
}

/** A line takes sixty-four words. */
export function inLines(head: string, words: readonly string[]): string[] {
  const lines: string[] = [];
  for (let at = 0; at < words.length; at += 32) lines.push([head, ...words.slice(at, at + 32)].join(' '));
  return lines;
}
