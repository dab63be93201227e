import { familyOf } from './address.ts';

/** Whether two bindings of one port number exclude each other: equal addresses, or one of them all of its family. @param a null for all */
export function collide(a: string | null, b: string | null): boolean {
  if (a === null || b === null) return true;
  const all = (address: string): boolean => address === '0.0.0.0' || address === '::';
  return a === b || (familyOf(a) === familyOf(b) && (all(a) || all(b)));
}
