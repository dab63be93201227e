/** The real name of a network that a Compose file calls `key`. */
export type NetworkNames = (key: string) => string;

/**
 * Real names of a file's networks (Compose Specification, "networks"): `name` where it is given, the key itself for an
 * external one, else the project's name and the key.
 *
 * @param fill replaces variables in the `name` of the network `key`
 */
export function readNetworks(
  networks: Record<string, unknown>,
  project: string,
  fill: (text: string, key: string) => string,
): NetworkNames {
  return (key) => {
    const { name, external } = (networks[key] ?? {}) as { name?: unknown; external?: unknown };
    if (typeof name === 'string') return fill(name, key);
    // `external: {name: …}` is the older form of both.
    const older = (external as { name?: unknown } | null | undefined)?.name;
    if (typeof older === 'string') return fill(older, key);
    const isExternal = external !== undefined && external !== false && external !== null;
    return isExternal ? key : `${project}_${key}`;
  };
}

/** A text, number or boolean as the text that the engine takes it for, or null. */
export function readText(value: unknown, fill: (text: string) => string): string | null {
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  return typeof value === 'string' && value !== '' ? fill(value) : null;
}

/** The texts of a list; anything else is left out, since nothing is decided by it alone. */
export function readTexts(value: unknown): string[] {
  return Array.isArray(value) ? value.filter((one): one is string => typeof one === 'string') : [];
}
