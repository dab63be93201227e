import type { Check, GatePart, PlannedGate } from '../gates/check.ts';
import { kindOf } from '../gates/kinds.ts';
import type { Plan } from '../plan/plan.ts';

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
    JSON.stringify(parts.map(({ checks, need, except }) => [checks, need, except]));
  return meaning(one) === meaning(other);
}

/** Whether whoever passes `part` passes `other`. Sufficient, not necessary: what cannot be seen is taken for opening. */
function implies(part: GatePart, other: GatePart): boolean {
  // A path that is excepted passes without anything.
  if (!part.except.every((prefix) => other.except.includes(prefix))) return false;
  return other.need === 'any' ? ensures(part, other.checks) : other.checks.every((check) => ensures(part, [check]));
}

/** Whether whoever passes `part` passes one of `wanted`. */
function ensures({ checks, need }: GatePart, wanted: readonly Check[]): boolean {
  const is = (own: Check): boolean =>
    wanted.some((check) => check.kind === own.kind && kindOf(own).implies(own, check));
  return need === 'any' ? checks.every(is) : checks.some(is);
}
