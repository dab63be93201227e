import { lookEverywhere } from '../adapters/dns/look-everywhere.ts';
import type { ZoneReader } from '../adapters/dns/zone.ts';
import { Trouble } from '../adapters/trouble.ts';
import type { DnsPicture, NameHeard } from '../core/records/picture.ts';
import { judgeRecords, type DnsJudgement } from '../core/records/judge.ts';
import type { Site } from './load.ts';

export interface CheckDnsInput {
  site: Site;
  names: readonly string[];
  reader: ZoneReader;
  signal: AbortSignal;
  onProgress: (done: number, of: number) => void;
}

export interface CheckedDns extends DnsJudgement {
  picture: DnsPicture;
  expected: string[];
}

/**
 * Asks all who have a say, and judges.
 *
 * @throws Trouble `front-address-unknown` when there is nothing to compare with
 */
export async function checkDns({ site, names, reader, signal, onProgress }: CheckDnsInput): Promise<CheckedDns> {
  const { plan, map } = site;
  const { addresses, names: frontNames } = plan.front;
  const wanted = [...names, ...frontNames.filter((name) => !names.includes(name))];
  const picture = await lookEverywhere({ names: wanted, domains: plan.domains, reader, signal, onProgress });
  const heard = picture.names.filter(({ name }) => frontNames.includes(name)).flatMap(addressesOf);
  const expected = [...new Set([...addresses, ...heard])];
  if (expected.length === 0) {
    const message = `The address of the front is not known: ${frontNames.join(', ') || 'its interface'} has none.`;
    throw new Trouble({ code: 'front-address-unknown', message, remedy: 'Mend `front.address` in the map.' });
  }
  const asked = { ...picture, names: picture.names.filter(({ name }) => names.includes(name)) };
  return {
    ...judgeRecords({
      picture: asked,
      expected,
      edge: plan.front.edge?.networks ?? [],
      wildcardMeant: map.dns.style === 'wildcard',
    }),
    picture,
    expected,
  };
}

/** What the zone says counts; the resolver only when no zone is found. */
function addressesOf({ servers, resolver }: NameHeard): string[] {
  const said = [...servers.map(({ heard }) => heard), resolver].find((one) => one.ok && one.said.addresses.length > 0);
  return said?.ok === true ? said.said.addresses : [];
}
