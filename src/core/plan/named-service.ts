import type { Service } from '../inventory/inventory.ts';

/** By service name, else by the container's own name, which people know from the list of containers. */
export function findNamed(services: readonly Service[], project: string | null, name: string): Service[] {
  const own = services.filter((one) => one.name === name && (project === null || project === one.project));
  if (own.length > 0 || project !== null) return own;
  return services.filter(
    ({ containerName, containers }) => containerName === name || containers.some((one) => one.name === name),
  );
}

/** The service in whose network another one lives (`network_mode: service:NAME` or `container:NAME`). */
export function lender({ networkMode, project }: Service, services: readonly Service[]): Service | null {
  const [kind, name] = networkMode?.split(':') ?? [];
  if (name === undefined || (kind !== 'service' && kind !== 'container')) return null;
  return findNamed(services, kind === 'service' ? project : null, name)[0] ?? null;
}

/** Of several with one name: the one that it led to before, else the only one that a Compose file of the map declares. Whoever comes later takes nothing away. */
export function meantOf(
  named: readonly Service[],
  service: string,
  projects: ReadonlyMap<string, string> | undefined,
): Service | null {
  const before = named.find((one) => (one.project ?? '') === projects?.get(service));
  const [declared, other] = named.filter((one) => one.declared !== null);
  return before ?? (other === undefined ? (declared ?? null) : null);
}
