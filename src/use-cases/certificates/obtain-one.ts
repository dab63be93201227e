import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { dirname } from 'node:path';
import {
  forgetOrder,
  keepAlias,
  leftBehind,
  readAttempts,
  readAliases,
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
import { byHand } from '../../adapters/records/by-hand.ts';
import type { RecordWay } from '../../adapters/records/way.ts';
import { pairProblem } from '../../adapters/certificates/right-pair.ts';
import { storePair } from '../../adapters/certificates/store.ts';
import type { NameServer } from '../../adapters/dns/query.ts';
import { remedyFor } from '../../core/certificates/authority-words.ts';
import { recordLines, wantedRecords } from '../../core/records/wanted.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { askCaa } from './ask-caa.ts';
import { refreshExports } from './keep-certificates.ts';
import type { Site } from '../map/load.ts';
import { recordWay } from '../../adapters/records/ways.ts';
import { dnsTimeoutMs, readerFor } from '../dns/reader.ts';

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
  /** Asks a person a question with yes or no; null when nobody is there. */
  ask: ((question: string) => Promise<string>) | null;
}

/**
 * One order from its start to the pair in its place. An order that an earlier run left is taken up: what was issued is
 * fetched, not asked for again. Whatever was published is taken back, however it ends.
 */
export async function obtainOne(given: OneInput): Promise<Trouble | null> {
  const whole = AbortSignal.timeout(orderMs + given.patienceMs);
  const input = { ...given, signal: AbortSignal.any([given.signal, whole]) };
  const { planned, session, say, signal, site, trial, authority } = input;
  const kind = planned.challenge ?? 'http';
  const folder = site.paths.acme;
  const wanted = { authority: authority.url, names: planned.names, key: planned.key };
  let shown: Published[] = [];
  let publisher: Publisher | null = null;
  try {
    const way = await wayFor(kind, site);
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
    const problem = pairProblem(pair, { names: planned.names, now: input.now().getTime() });
    // What was issued once comes back as it is: the next run orders anew.
    if (problem !== null) {
      if (!trial) await forgetOrder(folder, planned.id);
      return notRight(authority, problem);
    }
    if (trial) return null;
    await storePair(planned, pair);
    await forgetOrder(folder, planned.id);
    await refreshExports(planned);
    return null;
  } catch (error) {
    if (error instanceof Trouble) return withReading(error, input);
    if (whole.aborted && !given.signal.aborted) return tooSlow(authority);
    throw error;
  } finally {
    if (publisher !== null && shown.length > 0) await takeAllBack(input, publisher, shown);
  }
}

/** For a whole order, whatever the authority does; waiting for name servers comes on top. */
const orderMs = 15 * 60_000;

function tooSlow({ shown }: Authority): Trouble {
  return new Trouble({
    code: 'acme-too-slow',
    message: `The authority ${shown} did not finish within 15 minutes.`,
    remedy: 'Run it again later. The stored certificates were not changed.',
  });
}

function notRight({ shown }: Authority, problem: string): Trouble {
  return new Trouble({
    code: 'certificate-not-right',
    message: `The authority ${shown} sent a certificate that was not stored: ${problem}.`,
    remedy: 'Run it again. The stored certificate was not changed.',
  });
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

/** Asked once for each alias, and remembered: renewals run when nobody is there. */
async function mayLeadTo(folder: string, ask: OneInput['ask'], alias: { from: string; to: string }): Promise<boolean> {
  const known = await readAliases(folder);
  if (known?.some(({ from, to }) => from === alias.from && to === alias.to) === true) return true;
  // Earlier versions did not ask: where they got certificates that way, renewals go on.
  if (known === null && (await readAttempts(folder)).some(({ trouble }) => trouble === null)) {
    await keepAlias(folder, alias);
    return true;
  }
  const answer =
    ask === null ? '' : await ask(`${alias.from} is an alias of ${alias.to}. Publish the proof there? [y/N] `);
  if (!/^y(es)?$/i.test(answer.trim())) return false;
  await keepAlias(folder, alias);
  return true;
}

/** How records are published. Where none is needed for a proof, what is wrong with that is no hindrance. */
async function wayFor(kind: 'http' | 'dns', { map, mapFile }: Site): Promise<RecordWay> {
  const way = recordWay(map.dns, dirname(mapFile));
  return kind === 'dns' ? way : way.catch((): RecordWay => byHand);
}

/**
 * Takes back what runs that were killed left for the world to see, and forgets orders of certificates that are stored since.
 *
 * @param needed ids of certificates that are still to be obtained, whose orders are taken up then
 */
export async function tidyUp(input: PublisherInput, needed: ReadonlySet<string>): Promise<void> {
  const { site, say } = input;
  const folder = site.paths.acme;
  const { published, ordered } = await leftBehind(folder);
  for (const id of published) {
    const left: Published[] = [];
    for (const proof of await readPublished(folder, id)) {
      const way = await wayFor(proof.kind, site);
      if (await takeBack(publisherFor(input, proof.kind, way), proof, say))
        say(`${id}: a proof that an earlier run left at ${proof.name} was removed\n`);
      else left.push(proof);
    }
    await writePublished(folder, id, left);
  }
  for (const id of ordered) if (!needed.has(id)) await forgetOrder(folder, id);
}

type PublisherInput = Pick<OneInput, 'site' | 'resolver' | 'patienceMs' | 'say' | 'now' | 'signal' | 'ask'>;

function publisherFor(
  { site, resolver, patienceMs, say, now, signal, ask }: PublisherInput,
  kind: 'http' | 'dns',
  way: RecordWay,
): Publisher {
  const { plan, paths } = site;
  if (kind === 'dns') {
    const mayLead = (alias: { from: string; to: string }): Promise<boolean> => mayLeadTo(paths.acme, ask, alias);
    return dnsPublisher({ way, reader: readerFor(resolver, way), patienceMs, say, now, signal, mayLead });
  }
  const [address = '127.0.0.1'] = plan.front.listen.addresses;
  const front = {
    address: address === '0.0.0.0' || address === '::' ? '127.0.0.1' : address,
    port: plan.front.listen.http,
  };
  const live = programOf(plan.front.proxy).words.goLive(plan.front);
  const tell = async (): Promise<void> => adapterOf(plan.front.proxy)?.tellChallenges?.(plan);
  return httpPublisher({ folder: paths.challenges, front, timeoutMs: dnsTimeoutMs, live, tell });
}
