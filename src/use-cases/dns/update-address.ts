import { dirname, join } from 'node:path';
import { addToJournal } from '../../adapters/files/journal.ts';
import type { NameServer } from '../../adapters/dns/query.ts';
import { readRecords } from '../../adapters/dns/read-records.ts';
import { zoneOf } from '../../adapters/dns/zone.ts';
import { learnAddresses } from '../../adapters/host/learn-address.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { familyOf } from '../../core/networks/address.ts';
import type { SetChange } from '../../core/records/change.ts';
import { anchorOf } from '../../core/records/wanted.ts';
import type { AddressFrom } from '../../core/map/site-map.ts';
import type { Site } from '../map/load.ts';
import { carryOut, serverOf, type Proposal } from './publish-records.ts';
import { byHand } from '../../adapters/records/by-hand.ts';
import { recordWay } from '../../adapters/records/ways.ts';
import { dnsTimeoutMs, readerFor } from './reader.ts';
import { tellService, type ToldService } from './tell-service.ts';

interface UpdateAddressInput {
  site: Site;
  resolver: NameServer | null;
  dry: boolean;
  /** A service for dynamic names that refused is asked once more. */
  again: boolean;
  now: Date;
  signal: AbortSignal;
}

/**
 * @property name where the one address stands @property before what stood there @property changed whether it was another
 * @property service what the service for dynamic names was told, or null where the map has none
 */
export interface UpdatedAddress {
  name: string;
  before: string[];
  after: string[];
  changed: boolean;
  service: ToldService | null;
}

/**
 * Learns the public address, and changes the one address record when it is another one. Only the kinds of address that were
 * learned are touched, and nothing else of the zone.
 *
 * @throws Trouble `address-from-missing`, `address-written`, and what learning, updating and `tellService` throw
 */
export async function updateAddress({
  site,
  resolver,
  dry,
  again,
  now,
  signal,
}: UpdateAddressInput): Promise<UpdatedAddress> {
  const { map, plan, host, mapFile, paths } = site;
  const from = sourceOf(site);
  const name = anchorOf(plan) ?? '';
  const learned = await learnAddresses({ from, host, mapFile, timeoutMs: dnsTimeoutMs, signal });
  const way = map.dns.updateUrl === null ? await recordWay(map.dns, dirname(mapFile)) : byHand;
  if (way.isByHand && map.dns.updateUrl === null) throw noWay();
  const reader = readerFor(resolver, way);
  const zone = await zoneOf(reader, name);
  const server = await serverOf(zone, way, reader);
  const { records } = await readRecords(server, [name], dnsTimeoutMs);
  const types = [...new Set(learned.map((address) => (familyOf(address) === 6 ? 'AAAA' : 'A') as 'A' | 'AAAA'))];
  const changes = types.map((type): SetChange => {
    const after = learned.filter((address) => (familyOf(address) === 6) === (type === 'AAAA'));
    const { ttlSeconds } = map.dns;
    return {
      name,
      type,
      before: records.filter((one) => one.type === type),
      after: after.map((data) => ({ name, type, ttlSeconds, data })),
    };
  });
  const dataOf = (sets: SetChange['before']): string[] => sets.map(({ data }) => data);
  const before = changes.flatMap((change) => dataOf(change.before));
  const differing = changes.filter(
    (change) => dataOf(change.before).sort().join() !== dataOf(change.after).sort().join(),
  );
  const result = { name, before, after: learned, changed: differing.length > 0, service: null };
  if (!result.changed || dry) return result;
  if (map.dns.updateUrl !== null) {
    const addresses = differing.flatMap(({ after }) => dataOf(after));
    const service = await tellService({ site, url: map.dns.updateUrl, name, addresses, again, now, signal });
    if (!service.waits) await addToJournal(join(paths.dns, 'addresses.jsonl'), entryOf(result, now));
    return { ...result, service };
  }
  const proposal: Proposal = { way, act: 'address', zones: [{ zone, server, changes: differing }], kept: [] };
  await carryOut({ site, proposal, now, signal });
  await addToJournal(join(paths.dns, 'addresses.jsonl'), entryOf(result, now));
  return result;
}

function entryOf({ name, before, after }: UpdatedAddress, now: Date): object {
  return { at: now.toISOString(), name, before, after };
}

/** An address of an interface is known already; one that is written in the map cannot change. */
function sourceOf({ map }: Site): AddressFrom {
  const [first] = map.front.addresses;
  if (first?.kind === 'literal') {
    throw new Trouble({
      code: 'address-written',
      message: `On the map the front is at the fixed address ${first.address}, so a record that changes has no effect.`,
      remedy: 'Write a name instead, whose record is then kept up to date, such as: address: front.DOMAIN',
      exitCode: 2,
    });
  }
  if (map.dns.addressFrom !== null) return map.dns.addressFrom;
  if (first?.kind === 'interface') return { kind: 'interface', name: first.name };
  throw new Trouble({
    code: 'address-from-missing',
    message: 'The map does not say how to find the public address.',
    remedy: 'Add under `dns`: address-from: {stun: SERVER:PORT}, or {interface: NAME}, or {program: [PROGRAM]}',
    exitCode: 2,
  });
}

function noWay(): Trouble {
  return new Trouble({
    code: 'records-by-hand',
    message: '`dns` in the map has no server, no program and no update-url, so no record can be changed.',
    remedy: 'Add under `dns`: `server` and `key`, or `program`, or `update-url` of a service for dynamic names.',
    exitCode: 2,
  });
}
