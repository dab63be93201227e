import type { Limits } from '../../adapters/probe/connect.ts';
import type { DirectEvidence } from '../../core/legs/direct.ts';
import { phoneLinks, type PhoneLink } from '../../core/legs/links.ts';
import { isLoopback } from '../../core/networks/address.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { prepare } from '../../core/verdict/decide.ts';
import { driveDirect } from './ask-service.ts';
import { lookedAt } from './looked-at.ts';
import type { Places } from './limiter.ts';

export interface LinksInput {
  plan: Plan;
  roads: readonly PlannedRoad[];
  fromHost: ReadonlyMap<string, At | null>;
  /** Addresses of this machine. */
  here: readonly string[];
  places: Places;
  limits: Limits;
}

/** Asks every service directly what its page is called, and says what a phone must show. Nothing is sent to the front. */
export async function linksForPhone({ plan, roads, fromHost, here, places, limits }: LinksInput): Promise<PhoneLink[]> {
  const directs = new Map<string, DirectEvidence>();
  const published = new Map<string, number>();
  const { ports } = plan.front;
  await Promise.all(
    roads.map(async (road) => {
      const { target, leads, stretch } = lookedAt(road);
      if (leads.kind !== 'service' || leads.upstream === null) return;
      const { upstream } = leads;
      const at = fromHost.get(stretch) ?? null;
      if (at !== null && (isLoopback(at.host) || here.includes(at.host))) published.set(road.name, at.port);
      directs.set(road.name, await places(() => driveDirect({ road, upstream, at, target, ports, limits })));
    }),
  );
  return phoneLinks(prepare(plan), roads, directs, published);
}
