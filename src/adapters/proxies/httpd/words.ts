/** The first fault that httpd found, with its place. */
export function reasonIn(err: string): string {
  const lines = err.split('\n').filter((line) => !/^AH00558|^AH00111|^\[|^\s*$/.test(line));
  const [first = '', second = ''] = lines;
  const [, place, line] = /Syntax error on line (\d+) of (.+?):?$/.exec(first) ?? [];
  if (place !== undefined && second !== '') return `${second.trim()} (${line ?? ''}:${place})`;
  return first.trim() || 'it gives no reason';
}
