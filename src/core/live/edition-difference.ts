import type { Plan } from '../plan/plan.ts';

/**
 * What an edition has that the one before it has not, by the names of its roads.
 *
 * @property others whether something beside the roads differs, such as certificates or the front
 */
export interface EditionDifference {
  added: string[];
  gone: string[];
  changed: string[];
  others: boolean;
}

/** @param before null for the first one */
export function editionDifference(before: Plan | null, after: Plan): EditionDifference {
  const [old, now] = [byName(before), byName(after)];
  const changed = [...now].filter(([name, text]) => old.has(name) && old.get(name) !== text).map(([name]) => name);
  const added = [...now.keys()].filter((name) => !old.has(name));
  const gone = [...old.keys()].filter((name) => !now.has(name));
  // With a road its certificate comes and goes.
  const same = added.length + gone.length === 0;
  return { added, gone, changed, others: before !== null && rest(before, same) !== rest(after, same) };
}

function byName(plan: Plan | null): Map<string, string> {
  return new Map(plan?.roads.map((road) => [road.display, JSON.stringify(withoutPlaces(road))]) ?? []);
}

function rest(plan: Plan, withCertificates: boolean): string {
  return JSON.stringify(withoutPlaces({ ...plan, roads: [], ...(withCertificates ? {} : { certificates: [] }) }));
}

/** Where something stands on the map moves when a line is added above it, which changes nothing. */
function withoutPlaces(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(withoutPlaces);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).flatMap(([key, one]) => (/where$/i.test(key) ? [] : [[key, withoutPlaces(one)]])),
  );
}

const mostNames = 2;

/** In a few words, such as "new roster; changed nestcam". */
export function differenceWords({ added, gone, changed, others }: EditionDifference): string {
  const named = [
    ['new', added],
    ['changed', changed],
    ['gone', gone],
  ] as const;
  const parts = named.flatMap(([word, names]) => (names.length === 0 ? [] : [`${word} ${listed(names)}`]));
  if (others) parts.push('other settings');
  return parts.length === 0 ? 'nothing of the roads' : parts.join('; ');
}

function listed(names: readonly string[]): string {
  const more = names.length - mostNames;
  return `${names.slice(0, mostNames).join(', ')}${more > 0 ? ` and ${String(more)} more` : ''}`;
}
