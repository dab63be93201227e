import type { Chosen } from '../certificates/plan-certificates.ts';
import { bestOf } from '../certificates/plan-certificates.ts';
import type { HostFacts } from '../inventory/inventory.ts';
import type { MapPort, SiteMap } from '../map/site-map.ts';
import { planGate } from './plan-gate.ts';
import type { PlannedPort } from './plan.ts';
import { resolveService, type Surroundings } from './resolve-service.ts';

interface PortInput {
  map: SiteMap;
  mapFolder: string;
  host: HostFacts;
  around: Surroundings;
  /** By full name of the road. */
  chosen: ReadonlyMap<string, Chosen>;
}

/** A raw port with its gate, its certificate and where it is dialled. */
export function planPort(written: MapPort, { map, mapFolder, host, around, chosen }: PortInput): PlannedPort {
  const { name, port, protocol, leads, tls, tellsVisitor, where } = written;
  const resolution = resolveService(leads, around, protocol);
  return {
    name,
    port,
    protocol,
    gate: planGate(written.gates, where, { host, map, mapFolder, around }),
    to: resolution.kind === 'dialled' ? dialled(resolution.upstream) : null,
    tls: tls === null ? null : { name: tls, certificate: shownFor(tls, written, map, chosen) },
    tellsVisitor,
    resolution,
    where,
  };
}

function dialled({ host, port, byName, service, why }: NonNullable<PlannedPort['to']>): PlannedPort['to'] {
  return { host, port, byName, service, why };
}

/** That of the road with this name, else the best that covers it; one or the other is there, or the map is refused. */
function shownFor(name: string, { gates }: MapPort, map: SiteMap, chosen: PortInput['chosen']): string {
  return chosen.get(name)?.id ?? bestOf(map.certificates, { name, gates })?.id ?? name;
}
