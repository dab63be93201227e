import { lookEverywhere } from '../../../adapters/dns/look-everywhere.ts';
import type { ZoneReader } from '../../../adapters/dns/zone.ts';
import { Trouble } from '../../../adapters/trouble.ts';
import type { LegResult } from '../../../core/legs/leg.ts';
import { judgeRecords } from '../../../core/records/judge.ts';
import type { Plan } from '../../../core/plan/plan.ts';

interface OpinionsInput {
  plan: Plan;
  names: readonly string[];
  /** Addresses of the front. */
  expected: readonly string[];
  /** The records that must stand at a name, in words. */
  wanted: (name: string) => string[];
  reader: ZoneReader;
  signal: AbortSignal;
}

/**
 * What the zones' own servers make of names, as `dns check` judges it: they decide, and a resolver only remembers. A name of which they say
 * nothing is left out: they may not be reachable from here, and that is no fault of the road.
 */
export async function zoneOpinions(input: OpinionsInput): Promise<ReadonlyMap<string, LegResult>> {
  const { plan, names, expected, wanted, reader, signal } = input;
  try {
    const { domains } = plan;
    const picture = await lookEverywhere({ names, domains, reader, signal, onProgress: () => undefined });
    const known = picture.names.filter(({ zone, servers }) => {
      // The zone of a registry says no more than that the domain is not there.
      const isOurs = zone !== null && (zone.includes('.') || domains.includes(zone));
      return isOurs && servers.some(({ heard }) => heard.ok);
    });
    const edge = plan.front.edge?.networks ?? [];
    const judged = judgeRecords({ picture: { ...picture, names: known }, expected, edge, wanted, wildcardsAt: [] });
    return new Map(judged.names.map(({ name, result }) => [name, result]));
  } catch (error) {
    if (error instanceof Trouble || signal.aborted) return new Map();
    throw error;
  }
}
