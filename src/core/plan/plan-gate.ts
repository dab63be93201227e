import type { Place } from '../findings/finding.ts';
import type { GatePart, PlannedGate } from '../gates/check.ts';
import { kindOf } from '../gates/kinds.ts';
import { indexed } from '../indexed.ts';
import type { HostFacts } from '../inventory/inventory.ts';
import type { SiteMap } from '../map/site-map.ts';
import { parseTo } from '../map/leads.ts';
import { homeNetworks } from '../networks/home.ts';
import { resolveService, type Surroundings } from './resolve-service.ts';
import type { Upstream } from './upstream.ts';

interface GateInput {
  host: HostFacts;
  map: SiteMap;
  /** Absolute path of the folder that the map is in. */
  mapFolder: string;
  around: Surroundings;
}

/** Gates as a road or a port names them, as one: all of them must let a visitor pass. @param where they are named */
export function planGate(
  gates: readonly string[],
  where: Place,
  { host, map, mapFolder, around }: GateInput,
): PlannedGate {
  const dialled = (to: string): Upstream | null => {
    const read = parseTo(to);
    if (!read.ok || read.leads.kind === 'redirect' || read.leads.kind === 'folder') return null;
    const found = resolveService(read.leads, around);
    return found.kind === 'dialled' ? found.upstream : null;
  };
  const plain = { need: 'all' as const, except: [], where };
  const parts = gates.flatMap((name): GatePart[] => {
    if (name === 'everyone') return [];
    if (name === 'home')
      return [{ name, checks: [{ kind: 'networks', ...homeNetworks(host, map.front.homeNetworks) }], ...plain }];
    const found = indexed(map.gates, 'name').get(name);
    // A gate that the map does not have is an error in the map; until then nobody passes it.
    if (found === undefined) return [{ name, checks: [{ kind: 'networks', networks: [], except: [] }], ...plain }];
    return [{ ...found, checks: found.checks.map((check) => kindOf(check).place(check, { mapFolder, dialled })) }];
  });
  return { name: gates.join(' + '), parts };
}
