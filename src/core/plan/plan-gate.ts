import type { Place } from '../findings/finding.ts';
import { indexed } from '../indexed.ts';
import type { HostFacts } from '../inventory/inventory.ts';
import type { SiteMap } from '../map/site-map.ts';
import { homeNetworks } from '../networks/home.ts';
import { absolutePath } from './absolute-path.ts';
import type { GatePart, PlannedGate } from './plan.ts';

interface GateInput {
  host: HostFacts;
  map: SiteMap;
  /** Absolute path of the folder that the map is in. */
  mapFolder: string;
}

/** Gates as a road or a port names them, as one: all of them must let a visitor pass. @param where they are named */
export function planGate(gates: readonly string[], where: Place, { host, map, mapFolder }: GateInput): PlannedGate {
  const plain = { people: null, need: 'all' as const, except: [] };
  const parts = gates.flatMap((gate): GatePart[] => {
    if (gate === 'everyone') return [];
    if (gate === 'home') return [{ name: gate, networks: homeNetworks(host, map.front.homeNetworks), ...plain, where }];
    const found = indexed(map.gates, 'name').get(gate);
    // A gate that the map does not have is an error in the map; until then nobody passes it.
    if (found === undefined) return [{ name: gate, networks: { networks: [], except: [] }, ...plain, where }];
    const { people, networks, need, except } = found;
    return [
      {
        name: gate,
        networks: networks === null ? null : { networks, except: [] },
        people: people === null ? null : absolutePath(mapFolder, people),
        need,
        except,
        where: found.where,
      },
    ];
  });
  return { name: gates.join(' + '), parts };
}
