/**
 * Whether an origin-form target may go further: characters of RFC 3986 and the few more that browsers send, sound
 * percent-encoding without NUL, and no path that climbs above its root. Servers differ in what they make of the rest,
 * so none of it reaches a service.
 */
export function isSoundTarget(target: string): boolean {
  if (!/^\/[\u0021\u0022\u0024-\u007e]*$/.test(target)) return false;
  const hasCodes = target.includes('%');
  // Most have neither.
  if (!hasCodes && !target.includes('..')) return true;
  const path = pathOf(target);
  if (hasCodes && /%(?![0-9a-f]{2})|%00/i.test(path)) return false;
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

/** The path of a target: what stands before its query, byte for byte. */
export function pathOf(target: string): string {
  const query = target.indexOf('?');
  return query < 0 ? target : target.slice(0, query);
}

/**
 * Whether a path is in normal form: what servers and services would each make something else of (dot segments, empty segments,
 * backslashes, parameters, percent-encoding) never passes for a prefix that opens a gate or leads elsewhere.
 */
export function isNormal(target: string): boolean {
  const path = pathOf(target);
  return !/\/\/|[\\;%]/.test(path) && !/\/\.{1,2}(?:\/|$)/.test(path);
}

/** Whether a target in normal form lies at or below `prefix`: `/api` and `/api/x`, never `/apix`. */
export function isBelow(target: string, prefix: string): boolean {
  return isNormal(target) && restAfter(target, prefix) !== null;
}

/** What of a target follows `prefix`, query included: empty, or beginning with `/` or `?`. Null when it does not lie there. */
export function restAfter(target: string, prefix: string): string | null {
  const path = pathOf(target);
  const bare = prefix.replace(/\/$/, '');
  const inside = path === prefix || path.startsWith(`${bare}/`);
  return inside ? target.slice(bare.length) : null;
}

/**
 * The path of the file that a target asks a folder for, relative to the folder and decoded, or null when there can be none:
 * names that begin with a dot (but for `/.well-known/`, RFC 8615), dot segments, `//`, encoded slashes and control characters.
 * A path that ends in `/` asks for `index.html` there.
 */
export function fileAskedFor(target: string): string | null {
  const path = pathOf(target);
  if (/\/\/|\\|%(?:2f|5c|[01][0-9a-f]|7f)/i.test(path)) return null;
  let decoded: string;
  try {
    decoded = decodeURIComponent(path);
  } catch {
    return null;
  }
  if (/\/\.(?!well-known\/)|.\/\./.test(decoded)) return null;
  return decoded.endsWith('/') ? `${decoded}index.html` : decoded;
}
