import type { Inventory, PublishedPort, Service } from '../inventory/inventory.ts';
import type { Leads } from '../map/site-map.ts';
import { isLoopback, parseAddress, withPort } from '../networks/address.ts';
import type { Upstream } from './plan.ts';

/** What became of a road's `to`: where to dial, or the one reason why that cannot be said. */
export type Resolution =
  | { kind: 'dialled'; upstream: Upstream; toEveryone: { service: Service; port: PublishedPort } | null }
  | { kind: 'service-unknown'; known: string[] }
  | { kind: 'service-ambiguous'; projects: string[] }
  | { kind: 'port-not-published'; service: Service; insideOf: number | null };

/** Works out where a road's service is dialled by a proxy that runs on this host. */
export function resolveService(leads: Exclude<Leads, { kind: 'redirect' }>, inventory: Inventory): Resolution {
  switch (leads.kind) {
    case 'port':
      return dialled({
        host: '127.0.0.1',
        port: leads.port,
        service: null,
        why: 'a port of this host, as the map says',
      });
    case 'url': {
      const { scheme, host, port } = leads;
      const byName = parseAddress(host) === null;
      const upstream = {
        scheme,
        host,
        port,
        byName,
        verifyAs: scheme === 'https' ? host : null,
        service: null,
        why: 'as the map says',
      };
      return { kind: 'dialled', upstream, toEveryone: null };
    }
    case 'service':
      return resolveComposeService(leads, inventory);
  }
}

type ServiceLeads = Extract<Leads, { kind: 'service' }>;

function resolveComposeService({ project, service, port }: ServiceLeads, { services }: Inventory): Resolution {
  const named = services.filter(({ name, project: of }) => name === service && (project === null || project === of));
  const [found, second] = named;
  if (found === undefined) return { kind: 'service-unknown', known: services.map((known) => known.name) };
  if (second !== undefined) return { kind: 'service-ambiguous', projects: named.map((one) => one.project) };
  const usable = found.published.filter(({ protocol, hostPort }) => protocol === 'tcp' && hostPort !== null);
  const fitting = usable.filter(({ containerPort }) => containerPort === port).sort((a, b) => rank(a) - rank(b));
  const best = fitting[0];
  if (best === undefined) {
    const insideOf = usable.find(({ hostPort }) => hostPort === port)?.containerPort ?? null;
    return { kind: 'port-not-published', service: found, insideOf };
  }
  const open = fitting.find(({ hostAddress }) => isEveryAddress(hostAddress)) ?? null;
  const host = dialAddress(best.hostAddress);
  const outside = best.hostPort ?? port;
  const why = `service ${found.name} publishes its port ${String(port)} on ${withPort(best.hostAddress ?? '0.0.0.0', outside)}`;
  return {
    ...dialled({ host, port: outside, service: found.name, why }),
    toEveryone: open === null ? null : { service: found, port: open },
  };
}

type Dialled = Extract<Resolution, { kind: 'dialled' }>;

function dialled(at: Pick<Upstream, 'host' | 'port' | 'service' | 'why'>): Dialled {
  return { kind: 'dialled', upstream: { scheme: 'http', byName: false, verifyAs: null, ...at }, toEveryone: null };
}

/** Loopback first: it is the one nobody else can reach. */
function rank({ hostAddress }: PublishedPort): number {
  if (hostAddress !== null && isLoopback(hostAddress)) return 0;
  return isEveryAddress(hostAddress) ? 1 : 2;
}

function isEveryAddress(address: string | null): boolean {
  return address === null || address === '0.0.0.0' || address === '::';
}

function dialAddress(address: string | null): string {
  if (address === '::') return '::1';
  return address === null || address === '0.0.0.0' ? '127.0.0.1' : address;
}
