import type { ZoneReader } from '../../adapters/dns/zone.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { caaForbids, publicIssuer } from '../../core/certificates/caa.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { withoutStar } from '../../core/names/wildcard.ts';
import { caaBars } from '../../core/records/cards.ts';
import { caaOf } from '../certificates/ask-caa.ts';
import type { Site } from '../map/load.ts';

/**
 * Whether the CAA records that stand now would let the map's authority issue its certificates anew. The authority itself is not asked; one that is not
 * known by its domain, and a resolver that does not answer, say nothing.
 */
export async function checkCaa({ map, plan }: Pick<Site, 'map' | 'plan'>, reader: ZoneReader): Promise<Finding[]> {
  const issuer = map.acme === null ? null : publicIssuer(map.acme.directory);
  if (issuer === null) return [];
  const names = plan.certificates.flatMap(({ from, names: own, challenge }) =>
    from === 'acme' && challenge !== null ? own.map((name) => ({ name, challenge })) : [],
  );
  const bars = new Map<string, { why: string; names: string[] }>();
  for (const { name, challenge } of names) {
    const found = await caaOf(reader, withoutStar(name)).catch((error: unknown) => {
      if (error instanceof Trouble) return null;
      throw error;
    });
    if (found === null) continue;
    const { at, records } = found;
    const asked = { records, identities: [issuer], wildcard: name !== withoutStar(name), challenge };
    const why = caaForbids({ ...asked, accountUrl: null });
    if (why !== null) bars.set(at, { why, names: [...(bars.get(at)?.names ?? []), name] });
  }
  return [...bars].map(([at, { why, names: of }]) =>
    tell(caaBars, {
      say: 'bars',
      data: { at, issuer, why, of },
      roads: plan.roads.filter(({ name }) => of.includes(name)).map(({ name }) => name),
      cause: `caa:${at}`,
    }),
  );
}
