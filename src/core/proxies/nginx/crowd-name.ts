const sign = '~';

/** A name for roads that one server serves, in place of their own; no host name looks like it. */
export function crowdName(digest: string): string {
  return `${sign}${digest}`;
}

/** Whether a name stands for many, and nginx fills in the one that was asked for. */
export function isCrowdName(name: string): boolean {
  return name.startsWith(sign);
}
