import { loopbackEntry } from '../inventory/on-loopback.ts';
import { isRunning, titleOf, type Inventory, type Service } from '../inventory/inventory.ts';
import { notForTheWebBy, webPorts } from '../inventory/web-ports.ts';
import { readRoadLabel, roadLabel, type RoadLabel } from '../labels/road-label.ts';
import { roadName } from '../map/road-name.ts';
import type { SiteMap } from '../map/site-map.ts';
import { servicesOf } from '../plan/parts.ts';
import type { Plan } from '../plan/plan.ts';
import { resolveService } from '../plan/resolve-service.ts';
import type { WhereFront } from '../plan/where-front.ts';

/**
 * A road that could be added. Its gate is always `home`: opening is a deliberate act.
 *
 * @property key as it would stand in the map
 * @property ports inside ports it could lead to, the likeliest first; at least one
 * @property wish the gate that the container's label asks for, for a person to know of
 */
export interface Proposal {
  key: string;
  name: string;
  service: string;
  ports: number[];
  wish: string | null;
}

/** A service that has no road and for which none is offered, with the reason. */
export interface PassedOver {
  service: string;
  why: string;
}

interface ProposeInput {
  map: SiteMap;
  inventory: Inventory;
  plan: Plan;
  front: WhereFront;
}

/** Roads for every service that has none: name from the service or its label, port from what it publishes and exposes. */
export function proposeRoads({ map, plan, inventory, front }: ProposeInput): {
  proposals: Proposal[];
  passedOver: PassedOver[];
} {
  const proposals: Proposal[] = [];
  const passedOver: PassedOver[] = [];
  const taken = new Set(map.roads.map(({ name }) => name));
  const mapped = servicesOf(plan);
  for (const service of inventory.services) {
    if (mapped.has(service) || service === front.service) continue;
    const made = propose({ service, map, inventory, front, taken });
    if ('why' in made) passedOver.push({ service: titleOf(service), why: made.why });
    else {
      proposals.push(made);
      taken.add(made.name);
    }
  }
  return { proposals, passedOver };
}

interface Input extends Omit<ProposeInput, 'plan'> {
  service: Service;
  taken: ReadonlySet<string>;
}

function propose({ service, map, inventory, front, taken }: Input): Proposal | { why: string } {
  const placed = service.cluster === null ? service.labels['com.docker.swarm.service.name'] : undefined;
  // Its container has another name each time.
  if (placed !== undefined)
    return {
      why: `it is a task of the cluster service ${placed}: write \`cluster: true\` in the map, and ask again`,
    };
  const why = notForTheWebBy(service);
  if (why !== null) return { why };
  if (inventory.asked && !isRunning(service)) return { why: 'it does not run' };
  const label = labelOf(service);
  if (label === null) return { why: `its label \`${roadLabel}\` is not understood (keys: name, port, gate)` };
  const named = freeName({ service, wanted: label.name ?? null, map, taken });
  if (named === null) return { why: 'its name cannot be the name of a road, or is taken' };
  const wanted = label.port === undefined ? webPorts(service) : [label.port];
  const to = nameOnMap(service, inventory);
  const ports = wanted.filter((port) => dials({ service, port, inventory, front }));
  if (ports.length === 0) return { why: noPort(service, wanted[0] ?? null, front) };
  if (ports[0] === 443 || ports[0] === 8443) {
    return { why: `it speaks TLS inside (port ${String(ports[0])}): add it by hand with \`to: https://...\`` };
  }
  return { ...named, service: to, ports, wish: label.gate ?? null };
}

function noPort(service: Service, wanted: number | null, front: WhereFront): string {
  if (service.networkMode === 'host') return "it shares this machine's network: add it by hand with `to: :PORT`";
  if (wanted === null) return 'it says no port: add it by hand';
  const port = String(wanted);
  return front.kind === 'container'
    ? `it shares no network with the front ${front.name}`
    : `it publishes no port ${port} that the front reaches. Add under its \`ports\`: ${loopbackEntry(service, wanted, wanted)}`;
}

function dials({ service, port, inventory, front }: Omit<Input, 'map' | 'taken'> & { port: number }): boolean {
  const { project, name, machine } = service;
  const leads = { kind: 'service', project, service: name, machine, port } as const;
  return service.networkMode !== 'host' && resolveService(leads, { inventory, front }).kind === 'dialled';
}

/** `SERVICE`, or `PROJECT/SERVICE` where two projects share the name. */
export function nameOnMap(service: Service, { services }: Inventory): string {
  const { machine } = service;
  const shared = services.filter((one) => one.name === service.name && one.machine === machine).length > 1;
  return titleOf(shared ? service : { ...service, project: null });
}

interface NameInput {
  service: Service;
  wanted: string | null;
  map: SiteMap;
  taken: ReadonlySet<string>;
}

/** The service's name as a label of a host name; with the project's before it when that is taken. */
function freeName({ service, wanted, map, taken }: NameInput): { key: string; name: string } | null {
  const plain = asLabel(service.name);
  const candidates = wanted === null ? [plain, asLabel(`${service.project ?? 'own'}-${service.name}`)] : [wanted];
  for (const key of candidates) {
    const found = roadName(key, map.domains);
    if (key !== 'others' && found.ok && !taken.has(found.name.ascii)) return { key, name: found.name.ascii };
  }
  return null;
}

function asLabel(text: string): string {
  return text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
}

/** What its label asks for: nothing where it has none. */
function labelOf({ labels }: Service): RoadLabel | null {
  const text = labels[roadLabel];
  return text === undefined ? {} : readRoadLabel(text);
}
