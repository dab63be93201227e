import type { HostFacts, Inventory, Service } from '../../src/core/inventory/inventory.ts';
import { readMap } from '../../src/core/map/read-map.ts';
import { makePlan, type Planned } from '../../src/core/plan/make-plan.ts';
import type { SiteMap } from '../../src/core/map/site-map.ts';

export const someHost: HostFacts = {
  addresses: [
    { interface: 'lo', address: '127.0.0.1', network: '127.0.0.0/8', ofContainers: false },
    { interface: 'eth0', address: '192.168.64.10', network: '192.168.64.0/24', ofContainers: false },
    { interface: 'docker0', address: '172.17.0.1', network: '172.17.0.0/16', ofContainers: true },
  ],
  gateway: '192.168.64.1',
  resolvers: ['192.168.64.3'],
  trustedRoots: '/etc/ssl/certs/ca-certificates.crt',
  compose: 'docker compose',
  lookalikes: [],
};

/** An inventory of Compose files alone, unless the engine was asked. */
export function inventoryOf(services: Service[], asked = false): Inventory {
  return { services, networks: [], asked, failed: false, machines: [], nodes: [] };
}

export function mapOf(text: string): SiteMap {
  const { map, findings } = readMap({ file: 'mile-marker.yaml', text });
  if (map === null) throw new Error(JSON.stringify(findings, null, 2));
  return map;
}

/** The plan of a map's text, made by the core alone. */
export function plannedOf(
  text: string,
  inventory: Inventory = inventoryOf([]),
  host = someHost,
  mapFolder = '/site',
): Planned {
  return makePlan({
    map: mapOf(text),
    inventory,
    host,
    certificatesFolder: '/state/certificates',
    challengesFolder: '/state/challenges',
    mapFolder,
  });
}
