import { composeFilesOf } from './compose-command.ts';
import { isEveryAddress } from '../networks/address.ts';
import { survivesReboot, type Container, type PublishedPort, type Service } from './inventory.ts';

/**
 * Puts what is declared and what the engine knows together: each container goes to the service that Compose labelled it
 * with, or whose `container_name` it bears; a container that no file of the map declares becomes a service of its own.
 *
 * @param machine of the map that they run on; null for this machine
 */
export function withContainers(
  declared: readonly Service[],
  containers: readonly Container[],
  machine: string | null = null,
): Service[] {
  const services = new Map(declared.map((service) => [keyOf(service.project, service.name), { ...service }]));
  const byName = new Map(
    [...services.values()].flatMap((service) =>
      service.containerName === null ? [] : [[service.containerName, service] as const],
    ),
  );
  for (const container of [...containers].sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const key = keyOf(container.project, container.service ?? container.name);
    const own = services.get(key) ?? byName.get(container.name);
    if (own === undefined) services.set(key, ofContainer(container, machine));
    else own.containers = [...own.containers, container];
  }
  return [...services.values()].map(asItRuns);
}

function keyOf(project: string | null, name: string): string {
  return `${project ?? ''}/${name}`;
}

function ofContainer(container: Container, machine: string | null): Service {
  const { image, published, exposed, networks, networkMode, restart, labels, mounts } = container;
  const { project, service, name } = container;
  return {
    ...{ image, published, exposed, networks, networkMode, restart, labels, mounts },
    machine,
    project: service === null ? null : project,
    name: service ?? name,
    containerName: name,
    profiles: [],
    declared: null,
    containers: [container],
    replaces: [],
    cluster: null,
  };
}

/** With a running container, its facts count; each port keeps the place of the entry that declares it. */
function asItRuns(service: Service): Service {
  const running = service.containers.filter(({ state }) => state === 'running');
  const first = running[0] ?? service.containers[0];
  if (first === undefined) return service;
  const { image, networkMode, restart } = first;
  const live = running.length > 0;
  const published = running.flatMap((container) => container.published.map((port) => withPlace(port, service)));
  return {
    ...service,
    ...{ image: image ?? service.image, networkMode, restart },
    published: live ? published : service.published,
    networks: live ? first.networks : service.networks,
    exposed: [...new Set([...service.exposed, ...first.exposed])],
    labels: { ...service.labels, ...first.labels },
    mounts: [...new Set([...service.mounts, ...first.mounts])],
  };
}

function withPlace(port: PublishedPort, { declared }: Service): PublishedPort {
  const entry = declared?.published.find((one) => declares(one, port));
  const { where = null, written = null, inFlow = false } = entry ?? {};
  return { ...port, where, written, inFlow };
}

/** Whether a declared entry means this actual port. An entry without an outside port means any. */
export function declares(entry: PublishedPort, actual: PublishedPort): boolean {
  return (
    entry.containerPort === actual.containerPort &&
    entry.protocol === actual.protocol &&
    (entry.hostPort === null || entry.hostPort === actual.hostPort) &&
    (entry.hostAddress ?? '0.0.0.0') === (actual.hostAddress ?? '0.0.0.0')
  );
}

/**
 * What of a declaration a running service does not have yet: it runs as it was declared before.
 *
 * @property missing declared ports that it does not publish
 * @property open ports that it publishes on every address of the host, and that are not declared
 * @property restart it does not come back after a reboot, and should
 */
export interface NotApplied {
  missing: PublishedPort[];
  open: PublishedPort[];
  restart: boolean;
}

/** Null when it runs as it is declared. */
export function notApplied(service: Service): NotApplied | null {
  const { declared, containers, published, restart } = service;
  if (declared === null || !containers.some(({ state }) => state === 'running')) return null;
  // With a file that the map does not name it may well run as it is declared there.
  const isWhole = madeFrom(containers).every((file) =>
    [declared.where, declared.portsWhere].some((one) => nameOf(one.file) === nameOf(file)),
  );
  const found: NotApplied = {
    missing: declared.published.filter((entry) => !published.some((actual) => declares(entry, actual))),
    open: isWhole ? published.filter(({ where, hostAddress }) => where === null && isEveryAddress(hostAddress)) : [],
    restart: survivesReboot(declared.restart) && !survivesReboot(restart),
  };
  return found.missing.length + found.open.length > 0 || found.restart ? found : null;
}

function madeFrom(containers: readonly Container[]): string[] {
  return containers.flatMap(({ labels }) => composeFilesOf(labels));
}

function nameOf(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}
