import { type PlannedGate, checkOf } from '../gates/check.ts';
import { inNetworks, parseAddress } from './address.ts';
import { inAll } from './covering.ts';

/** Whether a gate lets an address connect to a raw port, by its networks alone. */
export function admits({ parts }: PlannedGate, address: string): boolean {
  const near = inAll(parts.map((part) => checkOf(part, 'networks')));
  return (
    near === null || (inNetworks(address, near.networks) && !near.except.includes(parseAddress(address) ?? address))
  );
}
