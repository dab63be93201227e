import type { PlannedGate } from '../plan/plan.ts';
import { inNetworks, parseAddress } from './address.ts';
import { inAll } from './covering.ts';

/** Whether a gate lets an address connect to a raw port, by its networks alone. */
export function admits({ parts }: PlannedGate, address: string): boolean {
  const near = inAll(parts.map(({ networks }) => networks));
  return (
    near === null || (inNetworks(address, near.networks) && !near.except.includes(parseAddress(address) ?? address))
  );
}
