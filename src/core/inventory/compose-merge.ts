import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { composeNotFollowed } from './compose-cards.ts';
import type { ReadService } from './compose.ts';
import { titleOf, type Declared, type NetworkJoin, type PublishedPort, type Service } from './inventory.ts';

interface ExtendsInput {
  /** Services of every file that was read, by the file's path. */
  files: ReadonlyMap<string, readonly ReadService[]>;
  /** Path of the file whose services are wanted. */
  file: string;
  /** The file that `extends.file` of a service in `from` names, as a key of `files`. */
  resolve: (from: string, file: string) => string;
}

/**
 * The services of one file with what they take over by `extends`, through any number of steps. Lists of the base come
 * first, those of the service are appended (Compose Specification, "extends", "Finding referenced service" and "Merging").
 */
export function withBases({ files, file, resolve }: ExtendsInput): { services: Service[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const grown = (from: string, { base, ...own }: ReadService, passed: readonly string[]): Service => {
    if (base === null) return own;
    const baseFile = base.file === null ? from : resolve(from, base.file);
    const found = files.get(baseFile)?.find(({ name }) => name === base.service);
    const data = { service: own.name, base: base.service, file: base.file ?? 'this file' };
    const step = `${baseFile} ${base.service}`;
    if (found === undefined || passed.includes(step)) {
      const say = found === undefined ? 'unknown' : 'circle';
      // A base in a file that could not be read was told with the file.
      if (files.has(baseFile)) findings.push(tell(composeNotFollowed, { say, data, where: base.where }));
      return own;
    }
    const taken = grown(baseFile, found, [...passed, step]);
    // What a base is called, and where it stands, stays with the base.
    const inherited = { ...taken, project: own.project, name: own.name, containerName: null };
    const { declared, ...rest } = joined(inherited, own);
    return {
      ...rest,
      declared: declared === null ? null : { ...declared, where: own.declared?.where ?? declared.where },
    };
  };
  const services = (files.get(file) ?? []).map((service) => grown(file, service, [`${file} ${service.name}`]));
  return { services, findings };
}

/** Puts services of several Compose files together: equal ones are one, and lists are appended ("Merge and override"). */
export function mergeServices(services: readonly Service[]): Service[] {
  const merged = new Map<string, Service>();
  for (const service of services) {
    const key = titleOf(service);
    const first = merged.get(key);
    merged.set(key, first === undefined ? service : joined(first, service));
  }
  return [...merged.values()];
}

/** Lists are appended, single values of the second win, and networks are said by whoever says them last. */
function joined(first: Service, second: Service): Service {
  const kept = <T>(key: string, list: T[]): T[] => (second.replaces.includes(key) ? [] : list);
  const published = [...kept('ports', first.published), ...second.published];
  const ownNetworks = second.networks.some(({ name }) => !name.endsWith('_default')) || first.networks.length === 0;
  const networkMode = second.networkMode ?? first.networkMode;
  const networks = networkMode !== null ? [] : ownNetworks ? second.networks : first.networks;
  return {
    ...first,
    published,
    networks,
    networkMode,
    exposed: [...kept('expose', first.exposed), ...second.exposed],
    image: second.image ?? first.image,
    restart: second.restart ?? first.restart,
    containerName: second.containerName ?? first.containerName,
    profiles: [...new Set([...kept('profiles', first.profiles), ...second.profiles])],
    labels: { ...(second.replaces.includes('labels') ? {} : first.labels), ...second.labels },
    mounts: [...kept('volumes', first.mounts), ...second.mounts],
    declared: joinedPlaces(first, second, published, networks),
  };
}

function joinedPlaces(
  first: Service,
  second: Service,
  published: PublishedPort[],
  networks: NetworkJoin[],
): Declared | null {
  if (first.declared === null || second.declared === null) return first.declared ?? second.declared;
  const portsWhere = second.published.length > 0 ? second.declared.portsWhere : first.declared.portsWhere;
  const restart = second.declared.restart ?? first.declared.restart;
  const { files, where } = first.declared;
  return { files, where, portsWhere, restart, published, networks };
}
