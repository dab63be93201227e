import { dirname, join } from 'node:path';
import * as z from 'zod';
import type { NameServer } from '../../adapters/dns/query.ts';
import { readRecords } from '../../adapters/dns/read-records.ts';
import { serversOf, zoneOf, type ZoneReader } from '../../adapters/dns/zone.ts';
import { addToJournal, readJournal } from '../../adapters/files/journal.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import {
  backwards,
  changesOf,
  lastPublication,
  publishedSets,
  type Publication,
  type SetChange,
} from '../../core/records/change.ts';
import { wantedRecords } from '../../core/records/wanted.ts';
import type { Site } from '../map/load.ts';
import type { RecordWay } from '../../adapters/records/way.ts';
import { recordWay } from '../../adapters/records/ways.ts';
import { dnsTimeoutMs, readerFor } from './reader.ts';

export interface Proposal {
  way: RecordWay;
  act: Publication['act'];
  zones: Array<{ zone: string; server: NameServer; changes: SetChange[] }>;
  /** What is left as it is, and why. */
  kept: string[];
}

/** What would have to change in the zones for the map to be right. Reads only. */
export async function proposeRecords(site: Site, resolver: NameServer | null): Promise<Proposal> {
  const { plan, map, paths } = site;
  const way = await recordWay(map.dns, dirname(site.mapFile));
  const reader = readerFor(resolver, way);
  const { zones: wantedZones, notes } = wantedRecords({ plan, dns: map.dns, acme: map.acme, view: 'public' });
  const wanted = wantedZones.flatMap(({ records }) => records);
  const before = publishedSets(await readPublications(paths.dns));
  const wantedNames = new Set(wanted.map(({ name }) => name));
  // The front's own name is kept by `dns update-address`; it stands on the map, though no road does at it.
  const gone = before.filter(({ name }) => !wantedNames.has(name) && !plan.front.names.includes(name));
  const names = [...new Set([...wantedNames, ...gone.map(({ name }) => name)])];
  const byZone = await zonesOf(names, reader);
  const kept = [...notes];
  const zones = await Promise.all(
    [...byZone].map(async ([zone, inside]) => {
      const server = await serverOf(zone, way, reader);
      const { records: found, shared, unsure } = await readRecords(server, inside, dnsTimeoutMs);
      const own = wanted.filter(({ name }) => inside.includes(name));
      const stale = gone.filter(({ name }) => inside.includes(name)).filter((set) => isAsLeft(set, found, kept));
      const addresses = plan.front.addresses;
      const made = changesOf({ wanted: own, found, unsure, shared, gone: stale.map(({ name }) => name), addresses });
      kept.push(...made.kept);
      return { zone, server, changes: made.changes };
    }),
  );
  return { way, act: 'publish', zones: zones.filter(({ changes }) => changes.length > 0), kept };
}

/** What an earlier publication left goes with the road, unless somebody has changed it since. */
function isAsLeft(
  { name, type, after }: SetChange,
  found: readonly SetChange['after'][number][],
  kept: string[],
): boolean {
  const there = found.filter((one) => one.name === name && one.type === type).map(({ data }) => data);
  if (there.length === 0) return false;
  const same =
    [...there].sort().join() ===
    after
      .map(({ data }) => data)
      .sort()
      .join();
  if (!same)
    kept.push(`${name} is no longer on the map. Somebody else changed its ${type} record; it is left as it is.`);
  return same;
}

async function zonesOf(names: readonly string[], reader: ZoneReader): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const name of names) {
    const known = [...found.keys()].find((zone) => name === zone);
    const zone = known ?? (await zoneOf(reader, name.replace(/^\*\./, '')));
    found.set(zone, [...(found.get(zone) ?? []), name]);
  }
  return found;
}

/** The server that takes changes, where the way has one; else the first authoritative one. */
export async function serverOf(zone: string, way: RecordWay, reader: ZoneReader): Promise<NameServer> {
  if (way.server !== null) return way.server;
  const [first] = await serversOf(reader, zone);
  if (first !== undefined) return first.server;
  const message = `No authoritative server of ${zone} exists.`;
  throw new Trouble({
    code: 'no-name-servers',
    message,
    remedy: 'Check the NS records of the zone and the addresses of its servers.',
  });
}

/**
 * What would have to change to take the last publication back, against what it left.
 *
 * @throws Trouble `nothing-to-undo`
 */
export async function proposeUndo(site: Site, resolver: NameServer | null): Promise<Proposal> {
  const last = lastPublication(await readPublications(site.paths.dns));
  if (last === null) {
    const message = 'There is nothing to undo: nothing was published from this map, or it was undone already.';
    throw new Trouble({
      code: 'nothing-to-undo',
      message,
      remedy: 'See what DNS has: mile-marker dns check',
      exitCode: 2,
    });
  }
  const way = await recordWay(site.map.dns, dirname(site.mapFile));
  const reader = readerFor(resolver, way);
  const zones = await Promise.all(
    last.zones.map(async ({ zone, changes }) => ({
      zone,
      server: await serverOf(zone, way, reader),
      changes: backwards(changes),
    })),
  );
  return { way, act: 'undo', zones, kept: [] };
}

interface CarryOutInput {
  site: Site;
  proposal: Proposal;
  now: Date;
  signal: AbortSignal;
}

/**
 * Carries a proposal out, zone by zone. Each is written into the journal first, so that it can be taken back whatever happens.
 *
 * @throws Trouble `update-refused`, `update-overtaken`, `update-not-taken`, `publish-failed`
 */
export async function carryOut({ site, proposal, now, signal }: CarryOutInput): Promise<void> {
  const { way, act, zones } = proposal;
  await ensureState(site.paths);
  const told = zones.map(({ zone, changes }) => ({ zone, changes }));
  await addToJournal(journalOf(site.paths.dns), { at: now.toISOString(), act, zones: told });
  for (const { zone, server, changes } of zones) {
    await way.changeSets(zone, changes, { now, timeoutMs: dnsTimeoutMs, signal });
    // Of what a program does nobody knows how soon it is seen.
    if (way.server !== null) await assertTaken(server, changes);
  }
}

/** Some updates are passed over in silence (RFC 2136 §3.4.2.2), so what stands there now is read back. */
async function assertTaken(server: NameServer, changes: readonly SetChange[]): Promise<void> {
  const names = [...new Set(changes.map(({ name }) => name))];
  const { records } = await readRecords(server, names, dnsTimeoutMs);
  const missing = changes.flatMap(({ after }) =>
    after.filter(
      (wanted) =>
        !records.some(({ name, type, data }) => name === wanted.name && type === wanted.type && data === wanted.data),
    ),
  );
  if (missing.length === 0) return;
  const [first] = missing;
  const message = `The name server ${server.address} accepted the update, but does not show ${first?.type ?? ''} ${first?.name ?? ''}.`;
  throw new Trouble({
    code: 'update-not-taken',
    message,
    remedy: 'See what it has: mile-marker dns publish --dry-run',
  });
}

const recordForm = z.object({
  name: z.string(),
  type: z.enum(['A', 'AAAA', 'CNAME', 'CAA']),
  ttlSeconds: z.number(),
  data: z.string(),
});
const setForm = z.object({
  name: z.string(),
  type: recordForm.shape.type,
  before: z.array(recordForm),
  after: z.array(recordForm),
});
const publicationForm = z.object({
  at: z.string(),
  act: z.enum(['publish', 'undo', 'address']),
  zones: z.array(z.object({ zone: z.string(), changes: z.array(setForm) })),
});

const journalOf = (folder: string): string => join(folder, 'journal.jsonl');

function readPublications(folder: string): Promise<Publication[]> {
  return readJournal(journalOf(folder), publicationForm);
}
