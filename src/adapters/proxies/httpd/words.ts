/** What httpd says beside the fault: hints about names, warnings of modules, and lines of its log. */
const besides = /^AH00558|^AH00111|^AH00671|^\[|\bwarn(?:ing)?\b|has no effect|^\s*$/i;

/** The first fault that httpd found, with its place. A warning is no fault, unless nothing else is said. */
export function reasonIn(err: string): string {
  const lines = err.split('\n').filter((line) => !besides.test(line));
  const at = lines.findIndex((line) => /^AH00526|Syntax error/.test(line));
  const [first = '', second = ''] = at < 0 ? lines : lines.slice(at);
  const [, place, line] = /Syntax error on line (\d+) of (.+?):?$/.exec(first) ?? [];
  if (place !== undefined && second !== '') return `${second.trim()} (${line ?? ''}:${place})`;
  return first.trim() || err.trim().split('\n')[0] || 'it gives no reason';
}
