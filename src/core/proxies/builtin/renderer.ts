import type { Check, GatePart, PlannedGate } from '../../gates/check.ts';
import type { NetworkSet } from '../../networks/home.ts';
import type { Plan } from '../../plan/plan.ts';
import { planVersion } from '../../plan/plan.ts';
import { without } from '../../without.ts';
import { noIdentity } from '../whose.ts';
import type { Renderer, WrittenFile } from '../renderer.ts';

/** In every edition, whatever its proxy: what it was meant to do. */
export const planPath = 'plan.json';

/** The builtin proxy serves a plan as it is, so its one file is the plan. `serve` falls back to it when the map cannot be read. */
export const builtinRenderer: Renderer = {
  entry: planPath,
  includeLine: () => null,
  rawLine: null,
  render: (plan) => [planFile(plan)],
  essence: (plan) => [{ path: planPath, content: servedText(plan) }],
  renderMark: (_, mark) => ({ path: 'mark.json', content: `${JSON.stringify({ mark })}\n` }),
  unusablePath: () => null,
};

export function planFile(plan: Plan): WrittenFile {
  // What was found on this machine is not part of what is served.
  const roads = plan.roads.map((road) => ({
    ...road,
    parts: road.parts.map((part) => without(part, 'resolution')),
  }));
  return { path: planPath, content: `${JSON.stringify({ ...plan, roads }, null, 2)}\n` };
}

/** Parts of a plan that are for people and for `verify`; the builtin proxy does the same whatever they are. */
const besides = new Set(['map', 'identity', 'lines', 'where', 'resolution', 'why', 'expect', 'meantSo']);

function servedText(plan: Plan): string {
  return JSON.stringify(plan, (key, value: unknown) => (besides.has(key) ? undefined : value));
}

const readable: ReadonlyArray<number | undefined> = [6, planVersion];

/** A gate of the version before, which had networks and people by themselves. */
type EarlierPart = GatePart & { networks?: NetworkSet | null; people?: string | null };

function gateOf(gate: PlannedGate): PlannedGate {
  return { ...gate, parts: gate.parts.map(partOf) };
}

function partOf({ networks, people, ...part }: EarlierPart): GatePart {
  if ((part.checks as Check[] | undefined) !== undefined) return part;
  const checks: Check[] = [];
  if (networks !== null && networks !== undefined) checks.push({ kind: 'networks', ...networks });
  if (people !== null && people !== undefined) checks.push({ kind: 'people', file: people });
  return { ...part, checks };
}

/** Reads what `planFile` made, with its keys in their order: the digest of an edition is made of it. Null when it is not a plan of this version or the one before. */
export function readPlan(text: string): Plan | null {
  try {
    const plan = JSON.parse(text) as Partial<Plan>;
    if (plan.format !== 'mile-marker-plan' || !readable.includes(plan.version)) return null;
    const { roads, ports, front, identity = noIdentity } = plan as Plan;
    const gated = <T extends { gate: PlannedGate }>(one: T): T => ({ ...one, gate: gateOf(one.gate) });
    // Before there were fronts in clusters.
    const { cluster = null } = front as Partial<Plan['front']>;
    return {
      ...(plan as Plan),
      version: planVersion,
      identity,
      front: { ...front, cluster },
      ports: ports.map(gated),
      roads: roads.map((road) => ({
        ...gated(road),
        parts: road.parts.map((part) => ({ ...part, resolution: null })),
      })),
    };
  } catch {
    return null;
  }
}
