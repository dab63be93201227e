import { nounsOf } from '../gates/kinds.ts';
import type { PlannedGate } from '../gates/check.ts';
import { groupedBy } from '../grouped-by.ts';
import { naturally } from '../by-units.ts';
import type { Service } from '../inventory/inventory.ts';
import { isLoopback, withPort } from '../networks/address.ts';
import { partName } from '../plan/parts.ts';
import type { Plan, PlannedPart, PlannedPort, PlannedRoad } from '../plan/plan.ts';
import { roadStates, type RoadState } from './state.ts';

/** A road, a part of one, or a raw port, at the end of its way. @property road its name on the map @property leads where it ends, for people */
export interface Leaf {
  road: string;
  name: string;
  leads: string;
  state: RoadState;
}

/** What stands together: a project of containers, this machine, another machine, redirects, folders. */
export interface TreePlace {
  title: string;
  leaves: Leaf[];
}

/** @property who the gate lets in, for people */
export interface TreeGate {
  name: string;
  who: string;
  places: TreePlace[];
}

/** The ways from the public address through the front and its gates to what they end at. */
export interface Tree {
  address: string;
  front: string[];
  gates: TreeGate[];
}

/** @param stateOf of a road or raw port, by its name on the map */
export function treeOf(plan: Plan, stateOf: (name: string) => RoadState): Tree {
  const { front } = plan;
  const ways = [
    ...plan.roads.flatMap((road) => [...road.parts].reverse().map((part) => wayOfPart(road, part, stateOf(road.name)))),
    ...plan.ports.map((port) => wayOfPort(port, stateOf(port.name))),
  ];
  const gates = [...groupedBy(ways, ({ gate }) => gate.name)]
    .sort(([a], [b]) => gateRank(a) - gateRank(b) || naturally(a, b))
    .map(([name, own]): TreeGate => ({
      name,
      who: own[0] === undefined ? '' : whoPasses(own[0].gate),
      places: placesOf(own),
    }));
  const ports = front.ports.http === front.ports.https ? [front.ports.https] : [front.ports.http, front.ports.https];
  return {
    address: [...front.names, ...front.addresses][0] ?? 'address unknown',
    front: [front.proxy, `ports ${ports.join(' and ')}`],
    gates,
  };
}

interface Way extends Leaf {
  gate: PlannedGate;
  place: string;
}

function placesOf(ways: readonly Way[]): TreePlace[] {
  return [...groupedBy(ways, ({ place }) => place)]
    .sort(([a], [b]) => naturally(a, b))
    .map(([title, own]) => ({
      title,
      leaves: own
        .map(({ road, name, leads, state }) => ({ road, name, leads, state }))
        .sort((a, b) => roadStates.indexOf(a.state) - roadStates.indexOf(b.state) || naturally(a.name, b.name)),
    }));
}

/** What is open to everyone first, what is at home alone last. */
function gateRank(name: string): number {
  return name === 'everyone' ? 0 : name === 'home' ? 2 : 1;
}

function wayOfPart({ name: road, display, gate }: PlannedRoad, part: PlannedPart, state: RoadState): Way {
  const name = partName(display, part.prefix);
  const { leads, resolution } = part;
  const common = { road, name, state, gate };
  if (leads.kind === 'redirect') return { ...common, leads: leads.url, place: 'redirects' };
  if (leads.kind === 'folder') return { ...common, leads: leads.path, place: 'folders of this machine' };
  const service = resolution?.service ?? null;
  const { upstream } = leads;
  const place = placeOf(service, upstream);
  const at =
    upstream === null
      ? 'unknown'
      : `${upstream.scheme === 'https' ? 'https://' : ''}${withPort(upstream.host, upstream.port)}`;
  return { ...common, leads: service === null ? at : `${service.name} at ${at}`, place };
}

function wayOfPort({ name, gate, to, resolution }: PlannedPort, state: RoadState): Way {
  const service = resolution?.service ?? null;
  const at = to === null ? 'unknown' : withPort(to.host, to.port);
  return {
    road: name,
    name,
    gate,
    state,
    leads: service === null ? at : `${service.name} at ${at}`,
    place: placeOf(service, to),
  };
}

/** Where something stands. @param to where it is dialled; null when that is not known */
function placeOf(service: Service | null, to: { host: string } | null): string {
  if (service !== null) return projectOf(service);
  if (to === null) return 'nowhere';
  return isLoopback(to.host) ? 'ports of this machine' : 'other machines';
}

function projectOf({ project, machine }: Service): string {
  const on = machine === null ? '' : ` on ${machine}`;
  return project === null ? `containers of no project${on}` : `project ${project}${on}`;
}

/** Whom a gate lets in, in a few words. */
function whoPasses({ name, parts }: PlannedGate): string {
  if (parts.length === 0) return 'everybody';
  if (name === 'home') return 'networks at home';
  return [...new Set(parts.map(nounsOf))].join(', and ');
}
