/** Whether a version, such as `1.26.3`, is this one or a later one; not when it is not known. */
export function isSince(version: string | null | undefined, least: string): boolean {
  if (version === null || version === undefined) return false;
  const [own, wanted] = [version, least].map((text) => text.split('.').map((part) => parseInt(part, 10) || 0));
  for (const [index, part] of (wanted ?? []).entries()) {
    const found = own?.[index] ?? 0;
    if (found !== part) return found > part;
  }
  return true;
}
