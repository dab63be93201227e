import type { Inventory, Service } from '../inventory/inventory.ts';
import { titleOf } from '../inventory/inventory.ts';
import { seesEngine, useOfImage, useOfPort } from '../inventory/web-ports.ts';
import { builtInGates } from '../map/built-in-gates.ts';
import { roadName } from '../map/road-name.ts';
import { readRules } from '../road-rules/road-rules.ts';
import { upstreamKeys } from '../map/upstream-keys.ts';
import type { MapLabels, MapRoad, SiteMap } from '../map/site-map.ts';
import { isUnder, type HostName } from '../names/host-name.ts';
import { readRoadLabel, roadLabel } from './road-label.ts';

/** Why a label makes no road. */
type WhyNotObeyed =
  | { say: 'unreadable' | 'name-missing' | 'port-missing' }
  | {
      say: 'name-wrong' | 'name-elsewhere' | 'on-map' | 'gate-unknown' | 'gate-wider' | 'tls' | 'not-web';
      text: string;
    }
  | { say: 'double'; text: string; other: string }
  | { say: 'ports'; ports: number[] };

/** @property service as its label's owner knows it: PROJECT/SERVICE, or the name of a container */
export interface LabelNotObeyed {
  service: string;
  why: WhyNotObeyed;
}

/** @property holders who has a name by a label, as it was written last @property isFollowed nobody looks on: a name changes hands only when a person brings it live */
interface Held {
  holders: ReadonlyMap<string, string>;
  isFollowed: boolean;
}

interface LabelledRoads {
  roads: MapRoad[];
  notObeyed: LabelNotObeyed[];
}

/**
 * The roads that labels of containers make, where the map obeys them: below `labels.obey` alone, never at a name of the map, and with no gate but `home`
 * and those of `labels.gates`. A label that asks for anything else makes none. Of two that want one name the one that has it keeps it; before anybody has it,
 * the container that was made first.
 */
export function labelledRoads(
  map: SiteMap,
  inventory: Inventory,
  { holders, isFollowed }: Held = { holders: new Map(), isFollowed: false },
): LabelledRoads {
  const { labels } = map;
  if (labels === null) return { roads: [], notObeyed: [] };
  const taken = new Map<string, string | null>(map.roads.map(({ name }) => [name, null]));
  const made: LabelledRoads = { roads: [], notObeyed: [] };
  const all = labelled(inventory);
  const there = new Set(all.map(({ service }) => titleOf(service)));
  for (const { service, text } of all) {
    const title = titleOf(service);
    const found = roadOf({ service, text, map, labels, taken });
    const holder = 'say' in found ? undefined : holders.get(found.name);
    // While a container is made anew it is away for a moment, and nobody takes its name meanwhile.
    const isHeld = holder !== undefined && holder !== title && (isFollowed || there.has(holder));
    const road = isHeld && !('say' in found) ? { say: 'double' as const, text: found.name, other: holder } : found;
    if ('say' in road) made.notObeyed.push({ service: title, why: road });
    else {
      taken.set(road.name, title);
      made.roads.push(road);
    }
  }
  return made;
}

/** The older first, so that a newer one takes nothing away. */
function labelled({ services }: Inventory): Array<{ service: Service; text: string }> {
  const found = services.flatMap((service) => {
    // What a Compose file declares makes no road before it is there.
    const container = service.containers.find(({ state }) => state === 'running') ?? service.containers[0];
    const text = container?.labels[roadLabel];
    return container === undefined || text === undefined ? [] : [{ service, text, made: container.made ?? '' }];
  });
  return found.sort((a, b) => (order(a) < order(b) ? -1 : 1));
}

function order({ service, made }: { service: Service; made: string }): string {
  return `${made} ${titleOf(service)}`;
}

interface Asked {
  service: Service;
  text: string;
  map: SiteMap;
  labels: MapLabels;
  /** Names that somebody has, and by which service's label; null for the map's own. */
  taken: ReadonlyMap<string, string | null>;
}

function roadOf({ service, text, map, labels, taken }: Asked): MapRoad | WhyNotObeyed {
  const label = readRoadLabel(text);
  if (label === null) return { say: 'unreadable' };
  if (label.name === undefined) return { say: 'name-missing' };
  const named = roadName(label.name, map.domains);
  if (!named.ok || label.name === 'others') return { say: 'name-wrong', text: label.name };
  const { ascii: name } = named.name;
  const holder = taken.get(name);
  if (holder === null) return { say: 'on-map', text: name };
  if (!labels.obey.some((obeyed) => isUnder(name, obeyed))) return { say: 'name-elsewhere', text: name };
  if (holder !== undefined) return { say: 'double', text: name, other: holder };
  const gate = label.gate ?? 'home';
  if (![...builtInGates, ...map.gates.map((one) => one.name)].includes(gate))
    return { say: 'gate-unknown', text: gate };
  if (gate !== 'home' && !labels.gates.includes(gate)) return { say: 'gate-wider', text: gate };
  const port = portOf(service, label.port);
  if (typeof port !== 'number') return port;
  return makeRoad({ name: named.name, service, port, gate, where: labels.where });
}

/** The port inside, when there is no doubt about it, and a website may be there. */
function portOf(service: Service, wanted: number | undefined): number | WhyNotObeyed {
  if (seesEngine(service)) return { say: 'not-web', text: 'it holds the engine socket' };
  const image = useOfImage(service.image);
  if (image !== null) return { say: 'not-web', text: `its image is ${image}` };
  const published = service.published.filter(({ protocol }) => protocol === 'tcp');
  const said = published.length > 0 ? published.map(({ containerPort }) => containerPort) : service.exposed;
  const ports = [...new Set(said)].sort((a, b) => a - b);
  const [only, second] = ports;
  const port = wanted ?? only;
  if (port === undefined) return { say: 'port-missing' };
  if (wanted === undefined && second !== undefined) return { say: 'ports', ports };
  const use = useOfPort(port);
  if (use !== null) return { say: 'not-web', text: `its port ${String(port)} is that of ${use}` };
  return port === 443 || port === 8443 ? { say: 'tls', text: String(port) } : port;
}

interface Sound {
  name: HostName;
  service: Service;
  port: number;
  gate: string;
  where: MapLabels['where'];
}

/** As if the map had the short line NAME: SERVICE:PORT with that gate, and every other key at its default. */
function makeRoad({ name: { ascii: name, unicode: display }, service, port, gate, where }: Sound): MapRoad {
  const { project, name: called, machine } = service;
  const leads = { kind: 'service', project, service: called, machine, port } as const;
  return {
    ...{ name, display, key: name, where },
    parts: [{ prefix: '/', leads, where }],
    gates: [gate],
    paused: false,
    rules: readRules({}),
    upstream: upstreamKeys({}),
    lines: {},
    written: {},
    fromLabel: titleOf(service),
  };
}
