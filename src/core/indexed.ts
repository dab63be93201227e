/** By list, then by key: what stands where. Lists of maps and plans are never changed once they are made. */
const made = new WeakMap<object, Map<string, ReadonlyMap<unknown, object>>>();

/**
 * The entries of a list by the value of one key; of two with the same value the first. It is worked out once for each list, so that ten thousand questions
 * cost no more than one look at ten thousand entries.
 */
export function indexed<T extends object, K extends keyof T & string>(
  list: readonly T[],
  key: K,
): ReadonlyMap<T[K], T> {
  const indexes = made.get(list) ?? new Map<string, ReadonlyMap<unknown, object>>();
  made.set(list, indexes);
  const before = indexes.get(key);
  if (before !== undefined) return before as ReadonlyMap<T[K], T>;
  const index = new Map<T[K], T>();
  for (const entry of list) if (!index.has(entry[key])) index.set(entry[key], entry);
  indexes.set(key, index);
  return index;
}
