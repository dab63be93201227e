/**
 * From where the roads were looked at, by which gates are judged.
 *
 * @property from this machine's own address on the connection to the front; null when there was none
 * @property place `machine`: the front's own; `router`: that too, but what it sends to the public address leaves and comes back; `home`: in a network of the front; `outside`: elsewhere
 * @property at every address that was tried
 * @property seenAs the address that the front's log has for this machine; null when it does not say
 */
export interface Vantage {
  from: string | null;
  place: 'machine' | 'router' | 'home' | 'outside';
  seenAs: string | null;
  at: string[];
}

/** One line for a person. */
export function vantageWords({ from, place, seenAs, at }: Vantage): string {
  const tried = at.join(' and ');
  if (from === null) return `The front is not reachable from here, at ${tried}.`;
  const where = {
    machine: `from this machine (${from}), which runs the front`,
    router: `from this machine (${from}), which runs the front, through the router`,
    home: `from a network of the front (${from})`,
    outside: `from outside (${from})`,
  }[place];
  const seen = seenAs === null || seenAs === from ? '' : ` The front sees ${seenAs}.`;
  return `Tested ${where}${tried === from ? '' : `, at ${tried}`}.${seen}`;
}
