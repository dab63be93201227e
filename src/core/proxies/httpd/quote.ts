/** httpd fills in `${NAME}` everywhere and has no escape for it: a dollar sign before a brace comes out of a name of ours. */
export const dollarLine = 'Define MILE_MARKER_DOLLAR $';

/**
 * An argument of a directive as httpd reads it back byte for byte: in double quotes, with `\` and `"` escaped.
 *
 * @throws RangeError on control characters, which would end the line or a header
 */
export function quote(value: string): string {
  refuseControl(value);
  return withDollars(`"${value.replace(/[\\"]/g, '\\$&')}"`);
}

/** The value of a header (mod_headers), which is a format of its own inside the argument. */
export function quoteHeader(value: string): string {
  const format = value.replace(/%/g, '%%').replace(/\\/g, '\\\\');
  // What begins like this would be taken for an expression; the variable holds these four letters.
  return quote(format.replace(/^expr=/i, (start) => `%{${start.startsWith('e') ? 'mm_expr' : 'mm_expr_capital'}}e=`));
}

/**
 * An argument of RewriteCond or RewriteRule, which mod_rewrite reads by a rule of its own: nothing is escaped between quotes, so the quotes are those that do not
 * occur, or none, where a backslash keeps a blank.
 *
 * @throws RangeError on control characters
 */
export function quoteRewrite(value: string): string {
  refuseControl(value);
  const mark = ['"', "'"].find((one) => !value.includes(one));
  return withDollars(mark === undefined ? value.replace(/ /g, '\\ ') : `${mark}${value}${mark}`);
}

/** Text that stands for itself in what RewriteRule puts in place. */
export function escapeSubstitution(text: string): string {
  return text.replace(/[\\$%]/g, '\\$&');
}

function withDollars(text: string): string {
  return text.replace(/\$\{/g, '${MILE_MARKER_DOLLAR}{');
}

function refuseControl(value: string): void {
  if (/[\u0000-\u001f\u007f]/.test(value))
    throw new RangeError('a control character cannot stand in httpd configuration');
}

/** First words of every file that is written. */
export const ownHeader = '# Written by Mile Marker';

/** Text for a comment: one line, and no backslash at its end, which would swallow the next directive. */
export function comment(text: string): string {
  return `# ${text.replace(/[\u0000-\u001f\u007f]+/g, ' ').replace(/\\+$/, '')}`;
}

/** Lines inside a section such as `<VirtualHost …>`. */
export function section(name: string, argument: string, lines: readonly string[]): string[] {
  const open = argument === '' ? `<${name}>` : `<${name} ${argument}>`;
  return [open, ...lines.map((line) => (line === '' ? '' : `    ${line}`)), `</${name}>`];
}

/** What a rule asks before it does anything: each a text to look at, a pattern for it, and a flag. */
export type Conditions = ReadonlyArray<readonly [string, string, string?]>;

/** A rule with its conditions. `NV`: the answer does not say that it varies by what is looked at. @param what of the path it is about */
export function rewrite(conditions: Conditions, to: string, flags: string, what = '^'): string[] {
  return [
    ...conditions.map(
      ([text, pattern, flag]) =>
        `RewriteCond ${quoteRewrite(text)} ${quoteRewrite(pattern)} [${flag === undefined ? '' : `${flag},`}NV]`,
    ),
    `RewriteRule ${what} ${to} [${flags}]`,
  ];
}
