import { covering } from '../networks/covering.ts';
import type { NetworkSet } from '../networks/home.ts';
import { inNetworks } from '../networks/address.ts';
import type { GatePart, Plan, PlannedGate } from '../plan/plan.ts';

/** How a road or a raw port is closed further than it is now. @property road its name; `8883/tcp` of a raw port */
export interface Closed {
  road: string;
  how: 'paused' | 'gone' | 'gate';
}

/** @property plan what is live, with nothing else changed */
export interface Closing {
  plan: Plan;
  closed: Closed[];
}

/**
 * What a map closes that is open now, and nothing that it opens or changes besides: roads that are paused or gone, gates that let in fewer. A gate that also lets
 * in somebody new is left as it is.
 *
 * @param live the plan that runs @param wanted what the map says @param only names of the roads that are meant; null for all
 */
export function closingOf(live: Plan, wanted: Plan, only: readonly string[] | null = null): Closing {
  const closed: Closed[] = [];
  const isMeant = (name: string): boolean => only === null || only.includes(name);
  const roads = live.roads.flatMap((road) => {
    if (!isMeant(road.name)) return [road];
    const next = wanted.roads.find(({ name }) => name === road.name);
    if (next === undefined) return told(closed, { road: road.name, how: 'gone' }, []);
    const gated = isNarrower(next.gate, road.gate)
      ? told(closed, { road: road.name, how: 'gate' }, next.gate)
      : road.gate;
    const isPaused = next.paused && !road.paused;
    if (isPaused) closed.push({ road: road.name, how: 'paused' });
    return [{ ...road, gate: gated, paused: road.paused || next.paused }];
  });
  const ports = live.ports.flatMap((port) => {
    if (!isMeant(port.name)) return [port];
    const next = wanted.ports.find(({ name }) => name === port.name);
    if (next === undefined) return told(closed, { road: port.name, how: 'gone' }, []);
    if (!isNarrower(next.gate, port.gate)) return [port];
    return told(closed, { road: port.name, how: 'gate' }, [{ ...port, gate: next.gate }]);
  });
  return { plan: { ...live, roads, ports }, closed };
}

function told<T>(closed: Closed[], one: Closed, value: T): T {
  closed.push(one);
  return value;
}

/** Whether a gate lets in nobody whom the other does not, and not the very same: each part of the other one is implied by a part of this. */
function isNarrower(gate: PlannedGate, than: PlannedGate): boolean {
  if (isAlike(gate, than)) return false;
  return than.parts.every((part) => gate.parts.some((own) => implies(own, part)));
}

function isAlike(one: PlannedGate, other: PlannedGate): boolean {
  const meaning = ({ parts }: PlannedGate): string =>
    JSON.stringify(parts.map(({ networks, people, need, except }) => [networks, people, need, except]));
  return meaning(one) === meaning(other);
}

/** Whether whoever passes `part` passes `other`. Sufficient, not necessary: what cannot be seen is taken for opening. */
function implies(part: GatePart, other: GatePart): boolean {
  // A path that is excepted passes without anything.
  if (!part.except.every((prefix) => other.except.includes(prefix))) return false;
  const { networks, people } = other;
  const byNetwork = networks !== null && hasNetworkIn(part, networks);
  const byPerson = people !== null && hasPersonOf(part, people);
  if (networks !== null && people !== null && other.need === 'any')
    return byNetwork || byPerson || isEitherIn(part, { networks, people });
  return (networks === null || byNetwork) && (people === null || byPerson);
}

function hasNetworkIn({ networks, people, need }: GatePart, wide: NetworkSet): boolean {
  return networks !== null && (people === null || need === 'all') && isWithin(networks, wide);
}

function hasPersonOf({ networks, people, need }: GatePart, file: string): boolean {
  return people === file && (networks === null || need === 'all');
}

function isEitherIn(part: GatePart, { networks, people }: { networks: NetworkSet; people: string }): boolean {
  return part.need === 'any' && part.people === people && part.networks !== null && isWithin(part.networks, networks);
}

function isWithin(narrow: NetworkSet, wide: NetworkSet): boolean {
  const areIn = narrow.networks.every((network) => covering(wide.networks, network));
  return areIn && wide.except.every((one) => narrow.except.includes(one) || !inNetworks(one, narrow.networks));
}
