import { setMaxListeners } from 'node:events';
import { resolve } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { writeWhole } from '../../adapters/files/safe-write.ts';
import { runAfter } from '../../adapters/processes/run-after.ts';
import { exit, Trouble } from '../../adapters/trouble.ts';
import { reaches, sortFindings, type LegName } from '../../core/findings/finding.ts';
import { changesSince, entryOf, type VerifyEntry } from '../../core/legs/journal.ts';
import { junitXml } from '../../core/legs/junit.ts';
import { vantageWords } from '../../core/legs/vantage.ts';
import { lookScript } from '../../core/look/script.ts';
import { askable, onMap } from '../../use-cases/askable.ts';
import { linksForPhone } from '../../use-cases/links.ts';
import type { Site } from '../../use-cases/load.ts';
import { findOpenPorts } from '../../use-cases/open-ports.ts';
import { places } from '../../use-cases/places.ts';
import { liveQuestions, lookQuestions } from '../../use-cases/questions.ts';
import { verifyRoads, type VerifyResult } from '../../use-cases/verify.ts';
import { chosenRoads } from '../chosen-roads.ts';
import type { CommandContext } from '../commands/context.ts';
import type { VerifyOptions } from '../commands/verify.ts';
import type { Io } from '../io.ts';
import { openSite } from '../open-site.ts';
import { countFindings } from '../print/findings.ts';
import { jsonDocument } from '../print/json.ts';
import { formatLinks } from '../print/links.ts';
import { wrap } from '../print/style.ts';
import { formatVerify } from '../print/verify.ts';
import { limitsOf, placeAt, verifyInput } from './verify-input.ts';
import { changeLines, isNews, noteRun, sinceWords, type Changes } from './verify-runs.ts';

export async function runVerify(names: string[], options: VerifyOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  refuseMixed(options);
  const site = await openSite(options, context, 'verify');
  if (site === null) return;
  // Every step on the network listens for Ctrl-C.
  setMaxListeners(0, io.signal);
  if (options.script === true) return printScript(site, names, io);
  if (options.links === true) return printLinks(site, names, options, io);
  if (options.watch !== undefined) return watch(site, names, { ...options, watch: options.watch }, context);
  return verifyOnce(site, names, options, context);
}

/** One run, told in full. */
async function verifyOnce(
  site: Site,
  names: string[],
  options: VerifyOptions,
  { io, setCode }: CommandContext,
): Promise<void> {
  const result = await drive(site, names, options, io);
  if (io.signal.aborted) {
    setCode(exit.interrupted);
    return;
  }
  const changes = await noteRun(site, names, options, result, io);
  const document = documentOf(site, result, changes);
  io.out(options.json === true ? document : formatVerify(result, site.plan, printing(options, io)));
  if (options.json !== true) io.err(wrap(vantageWords(result.vantage), { width: io.width }));
  if (options.since === true) io.err(sinceWords(changes, io.width));
  await writeJunit(options, result, io);
  io.err(nextStep(result));
  if (isNews(changes)) await notify(options, document);
  if (reaches(result.findings, options.failOn)) setCode(exit.foundWrong);
  else if (couldNotSee(result)) setCode(exit.cannotJudge);
}

/** Drives again and again, and tells the first run in full and then what changes, until somebody stops it. */
async function watch(
  site: Site,
  names: string[],
  options: VerifyOptions & { watch: number },
  { io, setCode }: CommandContext,
): Promise<void> {
  setCode(exit.interrupted);
  let before: VerifyEntry | null = null;
  for (;;) {
    const result = await drive(site, names, options, io);
    if (io.signal.aborted) return;
    const entry = entryOf(result.findings, result.roads.length, io.now().toISOString());
    const changes: Changes | null = before === null ? null : { last: before.at, ...changesSince(before, entry) };
    const document = documentOf(site, result, changes);
    await writeJunit(options, result, io);
    if (before === null || isNews(changes)) {
      await noteRun(site, names, options, result, io);
      if (options.json === true) io.out(document);
      else if (changes === null) io.out(formatVerify(result, site.plan, printing(options, io)));
      else io.out(`${entry.at.slice(0, 19).replace('T', ' ')} UTC\n${changeLines(changes, io.width)}`);
      if (before !== null) await notify(options, document);
    }
    if (before === null) io.err(`Driving again every ${String(options.watch / 1000)} s; Ctrl-C ends it.\n`);
    before = entry;
    await delay(options.watch, undefined, { signal: io.signal }).catch(() => undefined);
    if (io.signal.aborted) return;
  }
}

async function drive(onTheMap: Site, names: string[], options: VerifyOptions, io: Io): Promise<VerifyResult> {
  const { site, nameOnMap } = askable(onTheMap);
  const input = await verifyInput({ site, onTheMap }, names, options, io);
  const driven = onMap(await verifyRoads(input), nameOnMap);
  if (options.openPorts !== true || io.signal.aborted) return driven;
  const { ports } = site.plan.front;
  const found = await findOpenPorts({
    site,
    addresses: driven.addresses,
    httpsPort: options.at === undefined ? ports.https : placeAt(options.at, site.plan).httpsPort,
    limits: input.limits,
    concurrency: options.parallel,
  });
  return { ...driven, findings: sortFindings([...driven.findings, ...found]) };
}

function documentOf(site: Site, result: VerifyResult, changes: Changes | null): string {
  const { addresses, findings, away, vantage } = result;
  return jsonDocument('verify', {
    map: site.mapFile,
    front: addresses,
    vantage,
    roads: asJson(result),
    findings,
    explained: away.map(({ road, leg, by, problem }) => ({ rule: problem.card.id, leg, road, by })),
    summary: countFindings(findings),
    ...(changes === null ? {} : { since: changes }),
  });
}

function asJson({ roads }: VerifyResult): unknown[] {
  return roads.map(({ road, legs }) => ({
    name: road,
    legs: Object.fromEntries(legs.map(({ leg, outcome, says }) => [leg, { outcome, says }])),
  }));
}

function printing({ verbose }: VerifyOptions, io: Io): Parameters<typeof formatVerify>[2] {
  return { width: io.width, colour: io.colour.out, verbose: verbose === true };
}

async function writeJunit(
  { junit }: VerifyOptions,
  { roads, findings, away }: VerifyResult,
  { cwd }: Io,
): Promise<void> {
  if (junit !== undefined) await writeWhole(resolve(cwd, junit), junitXml(roads, findings, away));
}

async function notify({ notify: program }: VerifyOptions, document: string): Promise<void> {
  if (program === undefined) return;
  const remedy = 'Run it by hand and mend it; what came and went is told above, and kept.';
  await runAfter(program, { input: document, remedy });
}

function printScript(site: Site, names: string[], io: Io): void {
  const { plan } = askable(site).site;
  const roads = chosenRoads(plan, names);
  io.out(lookScript({ plan, roads, questions: lookQuestions(plan, roads), live: liveQuestions(plan, roads) }));
  io.err('next: run it on the other machine: sh look.sh > seen.txt; then here: mile-marker verify --read seen.txt\n');
}

async function printLinks(site: Site, names: string[], options: VerifyOptions, io: Io): Promise<void> {
  const { plan, resolutions, host } = askable(site).site;
  const fromHost = new Map(
    [...resolutions].map(([road, found]) => [road, found.kind === 'dialled' ? found.fromHost : null]),
  );
  const links = await linksForPhone({
    plan,
    roads: chosenRoads(plan, names),
    fromHost,
    here: host.addresses.map(({ address }) => address),
    places: places(options.parallel),
    limits: limitsOf(options, site, io),
  });
  io.out(options.json === true ? jsonDocument('links', { map: site.mapFile, links }) : formatLinks(links, io));
  io.err('\nnext: open each of them in a private window, mobile data first, with Wi-Fi off\n');
}

/** Each of these stands for itself. */
function refuseMixed({
  script,
  links,
  read,
  watch: time,
  at,
  login,
  openPorts,
  fromAddress,
  json,
}: VerifyOptions): void {
  const modes = [
    script === true ? '--script' : null,
    links === true ? '--links' : null,
    read === undefined ? null : '--read',
    time === undefined ? null : '--watch',
  ].filter((mode) => mode !== null);
  const live = { '--at': at, '--login': login, '--open-ports': openPorts, '--from-address': fromAddress };
  const given = Object.entries(live).filter(([, value]) => value !== undefined);
  const beside = read === undefined ? null : (given[0]?.[0] ?? null);
  const [first, second = beside] = modes;
  const other = script === true && json === true ? '--json' : second;
  if (first === undefined || other === null) return;
  throw new Trouble({
    code: 'options-apart',
    message: `${first} and ${other} do not go together.`,
    remedy: 'Give one of them.',
    exitCode: 2,
  });
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
