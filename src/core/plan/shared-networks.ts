import type { Service } from '../inventory/inventory.ts';

/**
 * For each service one network that it is on; as few as will do, and each only once.
 *
 * @param known networks that are taken before others
 */
export function sharedNetworks(
  services: readonly Pick<Service, 'networks'>[],
  known: readonly string[] = [],
): string[] {
  const chosen = new Set<string>();
  for (const { networks } of services) {
    const names = networks.map(({ name }) => name).filter((name) => name !== 'bridge');
    if (names.some((name) => chosen.has(name))) continue;
    const own = names.find((name) => known.includes(name)) ?? names[0];
    if (own !== undefined) chosen.add(own);
  }
  return [...chosen].sort();
}
