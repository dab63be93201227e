import { reachableInside } from './listening.ts';
import type { Service } from './inventory.ts';

/**
 * Ports whose registered use is no website, by number: IANA Service Name and Transport Protocol Port Number Registry
 * (https://www.iana.org/assignments/service-names-port-numbers), and for the engine its own documented default.
 */
const registered: Readonly<Record<number, string>> = {
  22: 'a remote shell',
  25: 'a mail server',
  53: 'a name server',
  1433: 'a database',
  2375: 'a container engine, which is root on this machine',
  2376: 'a container engine, which is root on this machine',
  3306: 'a database',
  5432: 'a database',
  5672: 'a message queue',
  6379: 'a cache',
  11211: 'a cache',
  27017: 'a database',
};

/** Last parts of image names, without their tag, by what they hold. */
const images: ReadonlyArray<readonly [RegExp, string]> = [
  [
    /^(postgres|postgis|mariadb|mysql|mongo|mongodb|cockroach|couchdb|influxdb|timescaledb|clickhouse(-server)?)(-.*)?$/,
    'a database',
  ],
  [/^(redis|valkey|memcached|keydb|dragonfly)(-.*)?$/, 'a cache'],
  [/^(rabbitmq|nats|kafka|eclipse-mosquitto|mosquitto)(-.*)?$/, 'a message queue'],
];

/** What a port is usually for when it is not the web, or null. */
export function useOfPort(port: number): string | null {
  return registered[port] ?? null;
}

/** What the image of a service says it is when that is not the web, or null. */
export function useOfImage(image: string | null): string | null {
  const last = image?.split('@')[0]?.split('/').pop()?.split(':')[0] ?? '';
  return images.find(([pattern]) => pattern.test(last))?.[1] ?? null;
}

/** Whether a service can reach the engine's socket: anyone who breaks into it becomes root on this machine. */
export function seesEngine({ mounts }: Pick<Service, 'mounts'>): boolean {
  return mounts.some((path) => /(^|\/)(docker|podman|containerd)\.sock$/.test(path));
}

/** Why a service must not be offered to the web, in words, or null. */
export function notForTheWebBy(service: Service): string | null {
  if (seesEngine(service)) return 'it holds the engine socket';
  const image = useOfImage(service.image);
  if (image !== null) return `its image is ${image}`;
  const ports = insidePorts(service);
  const use = ports.length > 0 && webPorts(service).length === 0 ? useOfPort(ports[0] ?? 0) : null;
  return use === null ? null : `its port is that of ${use}`;
}

/** Every TCP port inside on which it really listens; where that cannot be seen, those that are published or exposed. */
function insidePorts(service: Service): number[] {
  const { published, exposed } = service;
  const real = reachableInside(service);
  if (real !== null && real.length > 0) return real;
  const tcp = published.filter(({ protocol }) => protocol === 'tcp').map(({ containerPort }) => containerPort);
  return [...new Set([...tcp, ...exposed])];
}

/** The usual ports of programs with a web page, the likeliest first. */
const usual = [80, 8080, 3000, 8000, 5000, 8081, 9000];

/**
 * TCP ports inside the container on which a web page may be, the likeliest first: published before merely exposed, then
 * the usual numbers, then by size. Ports for TLS come last, since the front itself speaks TLS to visitors.
 */
export function webPorts(service: Service): number[] {
  const published = new Set(service.published.map(({ containerPort }) => containerPort));
  const weight = (port: number): number => {
    const known = usual.indexOf(port);
    const tls = port === 443 || port === 8443 ? 1000 : 0;
    return tls + (published.has(port) ? 0 : 100) + (known === -1 ? usual.length : known);
  };
  return insidePorts(service)
    .filter((port) => useOfPort(port) === null)
    .sort((a, b) => weight(a) - weight(b) || a - b);
}
