import type { Plan, PlannedPart } from '../plan/plan.ts';

/** A plan that was read back from an edition of a front on this machine, which dials where this machine does: its services can be asked again. */
export function asDialled(plan: Plan): Plan {
  return { ...plan, roads: plan.roads.map((road) => ({ ...road, parts: road.parts.map(dialled) })) };
}

function dialled(part: PlannedPart): PlannedPart {
  if (part.leads.kind !== 'service' || part.leads.upstream === null) return part;
  const { upstream } = part.leads;
  const fromHost = { host: upstream.host, port: upstream.port };
  return { ...part, resolution: { kind: 'dialled', upstream, fromHost, service: null, toEveryone: null } };
}
