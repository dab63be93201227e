/** A path of the map as an absolute one, without `.` and `..` (POSIX 4.13, without looking at links). @param folder absolute */
export function absolutePath(folder: string, path: string): string {
  const parts: string[] = [];
  for (const part of (path.startsWith('/') ? path : `${folder}/${path}`).split('/')) {
    if (part === '' || part === '.') continue;
    if (part === '..') parts.pop();
    else parts.push(part);
  }
  return `/${parts.join('/')}`;
}
