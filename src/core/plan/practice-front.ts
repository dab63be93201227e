import { isLoopback } from '../networks/address.ts';

/** A front that this machine alone can reach, for practice: every address of it is loopback, and it has no other name. */
export function isPracticeFront({
  addresses,
  names,
}: {
  addresses: readonly string[];
  names: readonly string[];
}): boolean {
  return addresses.length > 0 && names.length === 0 && addresses.every(isLoopback);
}
