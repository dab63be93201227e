import { besideZone, judgeDns } from '../../../core/legs/way/dns.ts';
import { splitDns } from '../../../core/legs/way/home.ts';
import { ok, skipped, type LegResult } from '../../../core/legs/leg.ts';
import { isWildcard, wildcardOver } from '../../../core/names/wildcard.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import type { Run } from '../testing.ts';

/** Asks the zones of all names at once, and gives back what judges the name of one road. */
export function testNames(run: Run): (road: PlannedRoad) => Promise<LegResult> {
  const { input, addresses, limiter } = run;
  const { zones, wanted, at, homeNames, prober, plan, roads } = input;
  const names = roads.map(({ name }) => name);
  const opinions = zones === null ? Promise.resolve(new Map<string, LegResult>()) : zones(names, addresses);
  // It is waited for later; until then nobody would hear that it failed.
  opinions.catch(() => undefined);
  return async ({ name, display }) => {
    if (at !== null) return skipped('dns', 'given-by-at');
    const evidence = await limiter(() => prober.names.addressesOf(name));
    const { home, edge } = plan.front;
    const isSplit = evidence.kind === 'found' && evidence.addresses.every((address) => home.includes(address));
    if (isSplit && homeNames && !evidence.addresses.every((one) => addresses.includes(one))) {
      const note = splitDns(prober.names.label, evidence.addresses);
      return ok('dns', 'resolves', evidence.addresses.join(' '), [note]);
    }
    const recordAt = isWildcard(display) ? wildcardOver(name) : name;
    const heard = {
      // One wildcard record stands for all other names.
      name: recordAt,
      evidence,
      expected: addresses,
      edge: edge?.networks ?? [],
      wanted: wanted(recordAt),
      resolver: prober.names.label,
    };
    const own = judgeDns(heard);
    return isWildcard(display) ? own : besideZone(own, (await opinions).get(name), heard);
  };
}
