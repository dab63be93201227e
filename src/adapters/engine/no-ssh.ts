/** Stands in for the SSH library that the engine's client would load at every start. `address.ts` refuses ssh:// before. */
export function Client(): never {
  throw new Error('SSH is not built in');
}
