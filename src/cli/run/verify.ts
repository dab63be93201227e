import { X509Certificate } from 'node:crypto';
import { setMaxListeners } from 'node:events';
import { resolve } from 'node:path';
import { authorityFile } from '../../adapters/certificates/practice.ts';
import { addToJournal, readJournal } from '../../adapters/files/journal.ts';
import { writeWhole } from '../../adapters/files/safe-write.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { runAfter } from '../../adapters/processes/run-after.ts';
import { readLogin } from '../../adapters/files/read-login.ts';
import { readText } from '../../adapters/files/read-text.ts';
import type { Trust } from '../../adapters/probe/handshake.ts';
import { parseEndpoint, resolverNames, systemNames } from '../../adapters/probe/look-up.ts';
import { exit, reasonOf, Trouble } from '../../adapters/trouble.ts';
import { changesSince, entryOf, verifyEntry, type Told } from '../../core/legs/journal.ts';
import { junitXml } from '../../core/legs/junit.ts';
import { isPrivate } from '../../core/networks/address.ts';
import { reaches, sortFindings, type LegName } from '../../core/findings/finding.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { findOpenPorts, isNear } from '../../use-cases/open-ports.ts';
import { verifyRoads, type VerifyInput, type VerifyResult } from '../../use-cases/verify.ts';
import type { Site } from '../../use-cases/load.ts';
import type { CommandContext } from '../commands/context.ts';
import type { VerifyOptions } from '../commands/verify.ts';
import type { Io } from '../io.ts';
import { chosenRoads } from '../chosen-roads.ts';
import { openSite } from '../open-site.ts';
import { countFindings } from '../print/findings.ts';
import { jsonDocument } from '../print/json.ts';
import { wrap } from '../print/style.ts';
import { formatVerify } from '../print/verify.ts';

export async function runVerify(names: string[], options: VerifyOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'verify');
  if (site === null) return;
  const { plan } = site;
  // Every step on the network listens for Ctrl-C.
  setMaxListeners(0, io.signal);
  const driven = await verifyRoads({
    plan,
    roads: chosenRoads(plan, names),
    fromHost: reachableFromHere(site),
    at: options.at === undefined ? null : placeAt(options.at, plan),
    names:
      options.resolver === undefined
        ? systemNames(options.timeout)
        : resolverNames(parseEndpoint(options.resolver, 53, '--resolver'), options.timeout),
    homeNames: seesHome(site, options),
    fromHome: isNear(site, [...plan.front.addresses, ...plan.front.home]),
    trust: await readTrust(site, options.trust ?? [], io),
    login: options.login === undefined ? null : await readLogin(resolve(io.cwd, options.login)),
    timeoutMs: options.timeout,
    concurrency: options.parallel,
    now: io.now().getTime(),
    signal: io.signal,
    onProgress: (done, of) => progress(io, done, of),
  });
  if (io.signal.aborted) {
    setCode(exit.interrupted);
    return;
  }
  const result = options.openPorts === true ? await withOpenPorts(driven, site, options, io) : driven;
  const summary = countFindings(result.findings);
  const changes = await noteRun(site, names, options, result, io);
  const document = jsonDocument('verify', {
    map: site.mapFile,
    front: result.addresses,
    roads: asJson(result),
    findings: result.findings,
    summary,
    ...(changes === null ? {} : { since: changes }),
  });
  if (options.json === true) io.out(document);
  else io.out(formatVerify(result, plan, { width: io.width, colour: io.colour.out }));
  if (options.since === true) io.err(sinceWords(changes, io.width));
  if (options.junit !== undefined) await writeJunit(resolve(io.cwd, options.junit), result);
  io.err(nextStep(result));
  const isNews = changes !== null && changes.come.length + changes.gone.length > 0;
  if (options.notify !== undefined && isNews) {
    const remedy = 'Run it by hand and mend it; what came and went is told above, and kept.';
    await runAfter(options.notify, { input: document, remedy });
  }
  if (reaches(result.findings, options.failOn)) setCode(exit.foundWrong);
  else if (couldNotSee(result)) setCode(exit.cannotJudge);
}

/** What came and went since the last run over the whole map. */
interface Changes {
  last: string;
  come: Told[];
  gone: Told[];
}

/** Keeps a run over the whole map as visitors see it, and compares it with the one before; null when there is none to compare with. */
async function noteRun(
  { paths, plan }: Site,
  names: readonly string[],
  { at }: VerifyOptions,
  { findings }: VerifyResult,
  io: Io,
): Promise<Changes | null> {
  if (names.length > 0 || at !== undefined) return null;
  const entry = entryOf(findings, plan.roads.length, io.now().toISOString());
  try {
    const entries = await readJournal(paths.verify, verifyEntry);
    await ensureState(paths);
    await addToJournal(paths.verify, entry);
    const before = entries[entries.length - 1];
    return before === undefined ? null : { last: before.at, ...changesSince(before, entry) };
  } catch (error) {
    // What was seen is worth more than that it is kept: somebody else may verify this map too.
    io.err(`This run is not kept for --since: ${reasonOf(error)}\n`);
    return null;
  }
}

function sinceWords(changes: Changes | null, width: number): string {
  if (changes === null) return 'There is no earlier run over the whole map to compare with.\n';
  const { last, come, gone } = changes;
  const when = `${last.slice(0, 16).replace('T', ' ')} UTC`;
  if (come.length + gone.length === 0) return `Nothing came or went since ${when}.\n`;
  const lines = [
    ...come.map(({ rule, message }) => wrap(`${rule}: ${message}`, { width, first: '  new   ', indent: '        ' })),
    ...gone.map(({ rule, message }) => wrap(`${rule}: ${message}`, { width, first: '  gone  ', indent: '        ' })),
  ];
  return `Since ${when}:\n${lines.join('')}`;
}

async function writeJunit(file: string, { roads, findings }: VerifyResult): Promise<void> {
  await writeWhole(file, junitXml(roads, findings));
}

function reachableFromHere({ resolutions }: Site): Map<string, At | null> {
  return new Map([...resolutions].map(([road, found]) => [road, found.kind === 'dialled' ? found.fromHost : null]));
}

/** From home, by this machine's own resolver or one inside, the names may lead to the addresses of home (split naming). */
function seesHome(site: Site, { resolver }: VerifyOptions): boolean {
  const isInside = resolver === undefined || isPrivate(parseEndpoint(resolver, 53, '--resolver').address);
  return isInside && isNear(site, site.plan.front.home);
}

async function withOpenPorts(driven: VerifyResult, site: Site, options: VerifyOptions, io: Io): Promise<VerifyResult> {
  const at = options.at === undefined ? null : placeAt(options.at, site.plan);
  const found = await findOpenPorts({
    site,
    addresses: driven.addresses,
    httpsPort: at?.httpsPort ?? site.plan.front.ports.https,
    limits: { timeoutMs: options.timeout, signal: io.signal },
    concurrency: options.parallel,
  });
  return { ...driven, findings: sortFindings([...driven.findings, ...found]) };
}

/** The HTTP port that goes with `--at`: the machine's own when the HTTPS port is the machine's own, else the visitors'. */
function placeAt(text: string, { front }: Plan): VerifyInput['at'] {
  const { address, port } = parseEndpoint(text, front.ports.https, '--at');
  const inside = port === front.listen.https && port !== front.ports.https;
  return { address, httpsPort: port, httpPort: inside ? front.listen.http : front.ports.http };
}

async function readTrust({ paths }: Site, files: readonly string[], { cwd }: Io): Promise<Trust> {
  const given = await Promise.all(files.map((file) => readAuthorities(resolve(cwd, file))));
  const practice = await readAuthorities(authorityFile(paths)).catch(() => []);
  return { given: given.flat(), practice };
}

async function readAuthorities(path: string): Promise<string[]> {
  const text = await readText({ path, what: 'file with trusted authorities' });
  const found = text.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? [];
  try {
    if (found.length === 0) throw new Error('no certificate');
    for (const pem of found) new X509Certificate(pem);
  } catch (cause) {
    const message = `${path} holds no certificate that can be read.`;
    throw new Trouble({
      code: 'trust-unreadable',
      message,
      remedy: 'Name a PEM file with the certificate of the authority.',
      exitCode: 2,
      cause,
    });
  }
  return found;
}

function progress(io: Io, done: number, of: number): void {
  if (!io.terminal) return;
  io.err(done === of ? '\r\u001b[K' : `\rdriving: ${String(done)} of ${String(of)} roads`);
}

function asJson({ roads }: VerifyResult): unknown[] {
  return roads.map(({ road, legs }) => ({
    name: road,
    legs: Object.fromEntries(legs.map(({ leg, outcome, says }) => [leg, { outcome, says }])),
  }));
}

function nextStep({ findings }: VerifyResult): string {
  const bad = findings.filter(({ severity }) => severity !== 'note');
  return bad.length > 0
    ? 'next: mend the first finding, then verify again\n'
    : 'next: look again in some weeks: mile-marker verify\n';
}

/** A mute resolver or no way to the front: this machine could not see, which is not the same as all being well. */
function couldNotSee({ roads }: VerifyResult): boolean {
  const unseen = (name: LegName): boolean =>
    roads.every(({ legs }) => legs.some(({ leg, outcome }) => leg === name && outcome === 'unsure'));
  return roads.length > 0 && (unseen('dns') || unseen('port'));
}
