import { lookEverywhere } from '../../adapters/dns/look-everywhere.ts';
import type { ZoneReader } from '../../adapters/dns/zone.ts';
import { learnAddresses } from '../../adapters/host/learn-address.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { isWildcard } from '../../core/names/wildcard.ts';
import type { DnsPicture, NameHeard } from '../../core/records/picture.ts';
import { addressRemedy, recordLines, wantedRecords } from '../../core/records/wanted.ts';
import { judgeRecords, type DnsJudgement } from '../../core/records/judge.ts';
import { sortFindings } from '../../core/findings/finding.ts';
import { judgeSeen } from '../../core/rules/front/no-way-in.ts';
import { checkCaa } from './check-caa.ts';
import { dnsTimeoutMs } from './reader.ts';
import type { Site } from '../map/load.ts';

interface CheckDnsInput {
  site: Site;
  names: readonly string[];
  reader: ZoneReader;
  signal: AbortSignal;
  onProgress: (done: number, of: number) => void;
}

export interface CheckedDns extends DnsJudgement {
  picture: DnsPicture;
  expected: string[];
  /** Why nobody could tell at which address the world sees the front, or null. */
  notSeen: string | null;
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
    const message = `The address of the front is unknown: ${frontNames.join(', ') || 'its interface'} has none.`;
    throw new Trouble({ code: 'front-address-unknown', message, remedy: addressRemedy(frontNames) });
  }
  const asked = { ...picture, names: picture.names.filter(({ name }) => names.includes(name)) };
  const edge = plan.front.edge?.networks ?? [];
  const ofOthers = plan.roads.filter(({ name }) => isWildcard(name)).map(({ name }) => name.slice(2));
  const wildcardsAt = map.dns.style === 'wildcard' ? plan.domains : ofOthers;
  const lines = recordLines(wantedRecords({ plan, dns: map.dns, acme: null, view: 'public' }));
  const judged = judgeRecords({ picture: asked, expected, edge, wanted: lines, wildcardsAt });
  const { seen, notSeen } = await seenOutside(site, signal);
  const { where } = plan.front;
  const caa = await checkCaa(site, reader);
  const findings = sortFindings([...judged.findings, ...caa, ...judgeSeen({ seen, written: addresses, where })]);
  return { ...judged, findings, picture, expected, notSeen };
}

/** Where the map says who can tell. That it cannot be told is no reason to keep quiet about the names. */
async function seenOutside(
  { map, host, mapFile }: Site,
  signal: AbortSignal,
): Promise<{ seen: string[]; notSeen: string | null }> {
  const from = map.dns.addressFrom;
  if (from === null || map.front.addresses.some(({ kind }) => kind === 'name')) return { seen: [], notSeen: null };
  try {
    const seen = await learnAddresses({ from, host, mapFile, timeoutMs: dnsTimeoutMs, signal });
    return { seen, notSeen: null };
  } catch (error) {
    if (error instanceof Trouble) return { seen: [], notSeen: error.message };
    throw error;
  }
}

/** What the zone says counts; the resolver only when no zone exists. */
function addressesOf({ servers, resolver }: NameHeard): string[] {
  const said = [...servers.map(({ heard }) => heard), resolver].find((one) => one.ok && one.said.addresses.length > 0);
  return said?.ok === true ? said.said.addresses : [];
}
