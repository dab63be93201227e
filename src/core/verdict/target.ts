/**
 * Whether an origin-form target may go further: characters of RFC 3986 and the few more that browsers send, sound
 * percent-encoding without NUL, and no path that climbs above its root. Servers differ in what they make of the rest,
 * so none of it reaches a service.
 */
export function isSoundTarget(target: string): boolean {
  if (!target.startsWith('/') || /[^\u0021-\u007e]|#/.test(target)) return false;
  const path = target.split('?')[0] ?? '';
  if (/%(?![0-9a-f]{2})|%00/i.test(path)) return false;
  return !climbs(path);
}

/** Whether `..` segments, plain or encoded, lead above the root. Slashes in a row count as one, as servers merge them. */
function climbs(path: string): boolean {
  let depth = 0;
  for (const segment of decode(path).split('/')) {
    if (segment === '' || segment === '.') continue;
    depth += segment === '..' ? -1 : 1;
    if (depth < 0) return true;
  }
  return false;
}

function decode(path: string): string {
  return path.replace(/%(2e|2f)/gi, (_, hex: string) => (hex.toLowerCase() === '2e' ? '.' : '/'));
}
