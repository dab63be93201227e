import { familyOf, isLoopback } from '../../../core/networks/address.ts';
import { plannedFor } from './planned.ts';
import type { PartAt } from '../part-at.ts';
import type { Shared } from '../testing.ts';

/**
 * Another address of this machine, by which the map lets it pass the gate of a road, on the way to one address of the front. Null when it has none, or
 * when somebody chose from where to ask.
 */
export function admittedAddress(shared: Shared, { road, part, at }: PartAt): string | null {
  const { input } = shared;
  const connection = at.front.connection();
  if (connection === null || !input.prober.isLive || input.limits.from !== undefined) return null;
  const { from, to } = connection;
  const isOwn = input.here.includes(to);
  const fitting = input.here.filter(
    // From loopback there is no way to anybody else.
    (one) => one !== from && familyOf(one) === familyOf(to) && (isOwn || !isLoopback(one)),
  );
  return fitting.find((one) => plannedFor(shared, { road, part, peer: one }) === 'passes') ?? null;
}
