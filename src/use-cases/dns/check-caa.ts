import pLimit from 'p-limit';
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
  const found = await recordsOf(
    names.map(({ name }) => withoutStar(name)),
    reader,
  );
  const bars = new Map<string, { why: string; names: string[] }>();
  for (const { name, challenge } of names) {
    const known = found.get(withoutStar(name)) ?? null;
    if (known === null) continue;
    const { at, records } = known;
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

type Known = Awaited<ReturnType<typeof caaOf>>;

const abreast = 16;

/** What stands at each name or above it. A resolver that once does not answer is asked no more: of a thousand names each would cost its time. */
async function recordsOf(names: readonly string[], reader: ZoneReader): Promise<Map<string, Known>> {
  const limit = pLimit(abreast);
  const found = new Map<string, Known>();
  let isSilent = false;
  const look = async (name: string): Promise<void> => {
    if (isSilent) return;
    try {
      found.set(name, await caaOf(reader, name));
    } catch (error) {
      if (!(error instanceof Trouble)) throw error;
      isSilent = true;
    }
  };
  await Promise.all([...new Set(names)].map((name) => limit(() => look(name))));
  return found;
}
