import type { Limits } from '../../adapters/probe/connect.ts';
import { phoneLinks, type PhoneLink } from '../../core/legs/links.ts';
import { isLoopback } from '../../core/networks/address.ts';
import { dialledParts } from '../../core/plan/parts.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import { prepare } from '../../core/verdict/decide.ts';
import { askServices } from './service/ask-services.ts';
import type { Limiter } from './asking/limiter.ts';
import { fromHost } from './testing.ts';

interface LinksInput {
  plan: Plan;
  roads: readonly PlannedRoad[];
  /** Addresses of this machine. */
  here: readonly string[];
  limiter: Limiter;
  limits: Limits;
}

/** Asks every service directly what its page is called, and says what a phone must show. Nothing is sent to the front. */
export async function linksForPhone({ plan, roads, here, limiter, limits }: LinksInput): Promise<PhoneLink[]> {
  const directs = await askServices({ input: { plan, limits }, limiter }, roads);
  const published = dialledParts(roads).flatMap(({ part }) => {
    const at = fromHost(part);
    return at !== null && (isLoopback(at.host) || here.includes(at.host)) ? [at.port] : [];
  });
  return phoneLinks(prepare(plan), roads, directs, published);
}
