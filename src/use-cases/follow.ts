import { headerOf, isRedirect, type Answer, type Attempt } from '../core/legs/answer.ts';

const maxHops = 8;

export interface FollowInput {
  start: string;
  first: Answer;
  /** Whether a URL leads to the front itself, so that it may be asked. */
  isAtFront: (url: URL, scheme: 'http' | 'https') => boolean;
  ask: (scheme: 'http' | 'https', name: string, target: string) => Promise<Attempt<Answer>>;
}

/** Follows redirects as a browser would, as long as they stay on names of the map, until they end or repeat. */
export async function follow({ start, first, isAtFront, ask }: FollowInput): Promise<string[]> {
  const hops = [start];
  let answer = first;
  while (hops.length <= maxHops && isRedirect(answer.status)) {
    const next = resolved(headerOf(answer, 'location'), hops[hops.length - 1] ?? start);
    if (next === null) break;
    const repeats = hops.includes(next.href);
    hops.push(next.href);
    const scheme = next.protocol === 'https:' ? 'https' : 'http';
    if (repeats || !isAtFront(next, scheme)) break;
    const attempt = await ask(scheme, next.hostname, `${next.pathname}${next.search}`);
    if (!attempt.ok) break;
    answer = attempt.value;
  }
  return hops;
}

function resolved(location: string | null, base: string): URL | null {
  if (location === null) return null;
  try {
    return new URL(location, base);
  } catch {
    return null;
  }
}
