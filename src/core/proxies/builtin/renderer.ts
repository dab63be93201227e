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

/** Reads what `planFile` made, with its keys in their order: the digest of an edition is made of it. Null when it is not a plan of this version. */
export function readPlan(text: string): Plan | null {
  try {
    const plan = JSON.parse(text) as Partial<Plan>;
    if (plan.format !== 'mile-marker-plan' || plan.version !== planVersion) return null;
    const { roads, front, identity = noIdentity } = plan as Plan;
    // Before there were fronts in clusters.
    const { cluster = null } = front as Partial<Plan['front']>;
    return {
      ...(plan as Plan),
      identity,
      front: { ...front, cluster },
      roads: roads.map((road) => ({ ...road, parts: road.parts.map((part) => ({ ...part, resolution: null })) })),
    };
  } catch {
    return null;
  }
}
