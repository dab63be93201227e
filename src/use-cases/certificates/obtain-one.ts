import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { dirname } from 'node:path';
import {
  forgetOrder,
  readOrder,
  readPublished,
  sweepHalves,
  writeOrder,
  writePublished,
  type Published,
} from '../../adapters/acme/kept.ts';
import type { Authority } from '../../adapters/acme/authority.ts';
import type { AcmeSession } from '../../adapters/acme/client.ts';
import { dnsPublisher, httpPublisher, type Publisher } from '../../adapters/acme/publish.ts';
import { storePair } from '../../adapters/certificates/store.ts';
import type { NameServer } from '../../adapters/dns/query.ts';
import { remedyFor } from '../../core/certificates/authority-words.ts';
import { recordLines, wantedRecords } from '../../core/records/wanted.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { askCaa } from './ask-caa.ts';
import { refreshExports } from './keep-certificates.ts';
import type { Site } from '../map/load.ts';
import { dnsTimeoutMs, readerFor, recordWay } from '../dns/record-way.ts';

interface OneInput {
  site: Site;
  planned: PlannedCertificate;
  session: AcmeSession;
  authority: Authority;
  /** Everything but keeping what comes of it. */
  trial: boolean;
  /** Whom DNS questions go to; null: the server for updates, else the first resolver of this machine. */
  resolver: NameServer | null;
  patienceMs: number;
  say: (text: string) => void;
  now: () => Date;
  signal: AbortSignal;
}

/**
 * One order from its start to the pair in its place. An order that an earlier run left is taken up: what was issued is
 * fetched, not asked for again. Whatever was published is taken back, however it ends.
 */
export async function obtainOne(input: OneInput): Promise<Trouble | null> {
  const { planned, session, say, signal, site, trial, authority } = input;
  const kind = planned.challenge ?? 'http';
  const folder = site.paths.acme;
  const wanted = { authority: authority.url, names: planned.names, key: planned.key };
  let shown: Published[] = [];
  let publisher: Publisher | null = null;
  try {
    const way = await recordWay(site.map.dns, dirname(site.mapFile));
    const { caaIdentities: identities, accountUrl } = session;
    if (identities.length > 0) {
      const reader = readerFor(input.resolver, way);
      const { names } = planned;
      await askCaa({ names, identities, authority: authority.shown, accountUrl, challenge: kind, reader });
    }
    publisher = publisherFor(input, kind, way);
    await sweepHalves(folder, planned.id);
    shown = await notTakenBack(publisher, await readPublished(folder, planned.id), say);
    await writePublished(folder, planned.id, shown);
    const { proofs, finish } = await session.begin({
      names: planned.names,
      kind,
      key: planned.key,
      earlier: trial ? null : await readOrder(folder, planned.id, wanted),
      keep: (order) => (trial ? Promise.resolve() : writeOrder(folder, planned.id, wanted, order)),
    });
    // All records first: a bare name and its wildcard need two values side by side at one name.
    for (const proof of proofs) {
      signal.throwIfAborted();
      shown.push(proof);
      await writePublished(folder, planned.id, shown);
      await publisher.show(proof);
      say(`  ${proof.of}: the proof is in place\n`);
    }
    for (const proof of proofs) {
      signal.throwIfAborted();
      await proof.complete();
      say(`  ${proof.of}: proven\n`);
    }
    const pair = await finish();
    if (trial) return null;
    await storePair(planned, pair);
    await forgetOrder(folder, planned.id);
    await refreshExports(planned);
    return null;
  } catch (error) {
    if (error instanceof Trouble) return withReading(error, input);
    throw error;
  } finally {
    if (publisher !== null && shown.length > 0) await takeAllBack(input, publisher, shown);
  }
}

/** What the authority's words mean here, beside them. */
function withReading(trouble: Trouble, { site, planned }: OneInput): Trouble {
  if (trouble.code !== 'acme-refused') return trouble;
  const { plan, map } = site;
  const remedy = remedyFor({
    words: trouble.message,
    names: planned.names,
    wanted: recordLines(wantedRecords({ plan, dns: map.dns, acme: null, view: 'public' })),
    live: programOf(plan.front.proxy).words.goLive(plan.front),
  });
  const { code, message, exitCode, cause } = trouble;
  return remedy === null ? trouble : new Trouble({ code, message, remedy, exitCode, cause });
}

/** What could not be taken back stays written down, so that the next run tries again. */
async function takeAllBack(
  { site, planned, say }: OneInput,
  publisher: Publisher,
  shown: readonly Published[],
): Promise<void> {
  const left = await notTakenBack(publisher, shown, say);
  await writePublished(site.paths.acme, planned.id, left).catch((error: unknown) => {
    say(`  ${error instanceof Error ? error.message : String(error)}\n`);
  });
}

async function notTakenBack(
  publisher: Publisher,
  shown: readonly Published[],
  say: OneInput['say'],
): Promise<Published[]> {
  const left: Published[] = [];
  for (const proof of shown) if (!(await takeBack(publisher, proof, say))) left.push(proof);
  return left;
}

/** What cannot be taken back is told; it is no reason to lose a certificate that was issued. */
async function takeBack(publisher: Publisher, proof: Published, say: OneInput['say']): Promise<boolean> {
  try {
    await publisher.hide(proof);
    return true;
  } catch (error) {
    say(`  ${proof.name}: the proof could not be removed again: ${error instanceof Error ? error.message : ''}\n`);
    return false;
  }
}

function publisherFor(
  { site, resolver, patienceMs, say, now, signal }: OneInput,
  kind: 'http' | 'dns',
  way: Awaited<ReturnType<typeof recordWay>>,
): Publisher {
  if (kind === 'dns') return dnsPublisher({ way, reader: readerFor(resolver, way), patienceMs, say, now, signal });
  const { plan, paths } = site;
  const [address = '127.0.0.1'] = plan.front.listen.addresses;
  const front = {
    address: address === '0.0.0.0' || address === '::' ? '127.0.0.1' : address,
    port: plan.front.listen.http,
  };
  const live = programOf(plan.front.proxy).words.goLive(plan.front);
  const tell = async (): Promise<void> => adapterOf(plan.front.proxy)?.tellChallenges?.(plan);
  return httpPublisher({ folder: paths.challenges, front, timeoutMs: dnsTimeoutMs, live, tell });
}
