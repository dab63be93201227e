import { setMaxListeners } from 'node:events';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { reaches, type LegName } from '../../../core/findings/finding.ts';
import { countStandings, standingOf } from '../../../core/legs/leg.ts';
import { saysNotNewest } from '../../../core/legs/way/running.ts';
import { vantageWords } from '../../../core/legs/way/vantage.ts';
import { lookScript } from '../../../core/look/script.ts';
import { askable } from '../../../use-cases/verify/asking/askable.ts';
import { linksForPhone } from '../../../use-cases/verify/links.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { limiters } from '../../../use-cases/verify/asking/limiter.ts';
import { liveQuestions, lookQuestions, shakeQuestions } from '../../../use-cases/verify/asking/questions.ts';
import type { VerifyResult } from '../../../use-cases/verify/verify.ts';
import { checkedSince } from '../../../use-cases/live/checked-since.ts';
import { monthlyForgotten } from '../../../use-cases/map/forgotten.ts';
import { chosenRoads } from '../../../use-cases/map/chosen-roads.ts';
import type { CommandContext } from '../../io.ts';
import type { VerifyOptions } from './verify-options.ts';
import type { Io } from '../../io.ts';
import { openSite } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { formatFindings } from '../../print/findings.ts';
import { formatLinks } from '../../print/links.ts';
import { plural, wrap } from '../../print/style.ts';
import { formatVerify } from '../../print/verify.ts';
import { limitsOf, placeAt } from '../../../use-cases/verify/verify-input.ts';
import { documentOf, testRoads, notify, printing, writeJunit } from './verify-run.ts';
import { nightMail, sendMail } from './night-mail.ts';
import { changeLines, isNews, isWhole, noteRun, notKept, sinceWords } from './verify-changes.ts';
import { showRun } from './verify-shows.ts';
import { watch } from './verify-watch.ts';

export async function runVerify(names: string[], options: VerifyOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'verify');
  if (site === null) return;
  refusePartial(names, options, site.plan);
  // Every step on the network listens for Ctrl-C.
  setMaxListeners(0, io.signal);
  if (options.script === true) return printScript(site, names, options, io);
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
  const result = await testRoads(site, names, options, io);
  if (io.signal.aborted) {
    setCode(exit.interrupted);
    return;
  }
  const changes = await noteRun(site, names, options, result, io);
  const isNight = options.since === true && isWhole(names, options, site.plan);
  const old = isNight ? await monthlyForgotten(site, io.now()) : [];
  const checked = isNight
    ? await checkedSince(site, { now: io.now(), env: io.env })
    : { findings: [], come: [], gone: [] };
  const document = documentOf(site, result, changes, { monthly: old, checked: checked.findings });
  io.out(options.json === true ? document : formatVerify(result, site.plan, printing(options, io)));
  if (options.json !== true) io.err(wrap(vantageWords(result.vantage), { width: io.width }));
  if (options.since === true) io.err(sinceWords(changes, io.width));
  if (old.length > 0 && options.json !== true)
    io.out(`\nonce a month:\n${formatFindings(old, { width: io.width, colour: io.colour.out })}`);
  await writeJunit(options, result, io);
  await showRun(site, options, result, { io, every: null });
  io.err(notKept(names, options, site.plan));
  io.err(leftOut(result, site, options));
  io.err(nextStep(result));
  const isChecked = checked.come.length + checked.gone.length > 0;
  if (isNight && options.json !== true && checked.findings.length > 0)
    io.out(
      `\nby \`mile-marker check\`:\n${formatFindings(checked.findings, { width: io.width, colour: io.colour.out })}`,
    );
  if (isNews(changes) || isChecked || old.length > 0) {
    const findings = [...result.findings, ...checked.findings, ...old].filter(({ severity }) => severity !== 'note');
    const since = `${sinceWords(changes, 72)}${changeLines(checked, 72)}`;
    const [domain = ''] = site.plan.domains;
    // Whoever is told in two ways is told in the one when the other fails.
    const told = await Promise.allSettled([
      options.mail === undefined ? null : sendMail(nightMail({ to: options.mail, domain, since, findings })),
      notify(options, document),
    ]);
    const failed = told.find((one) => one.status === 'rejected');
    if (failed !== undefined) throw failed.reason;
  }
  if (reaches([...result.findings, ...checked.findings], options.failOn)) setCode(exit.foundWrong);
  else if (couldNotSee(result)) setCode(exit.cannotJudge);
}

function printScript(site: Site, names: string[], options: VerifyOptions, io: Io): void {
  const { plan } = askable(site).site;
  const roads = chosenRoads(plan, names);
  const at = options.at === undefined ? null : placeAt(options.at, plan);
  const questions = lookQuestions(plan, roads, at);
  io.out(
    lookScript({ roads, questions, live: liveQuestions(plan, roads, at), shakes: shakeQuestions(plan, roads, at) }),
  );
  const read = `mile-marker verify --read seen.txt${options.at === undefined ? '' : ` --at ${options.at}`}`;
  io.err(`next: on the other machine: sh look.sh > seen.txt\nthen: here: ${read}\n`);
}

async function printLinks(site: Site, names: string[], options: VerifyOptions, io: Io): Promise<void> {
  const { plan, host } = askable(site).site;
  const links = await linksForPhone({
    plan,
    roads: chosenRoads(plan, names),
    here: host.addresses.map(({ address }) => address),
    limiter: limiters(options.parallel)(0),
    limits: limitsOf(options, site, io),
  });
  io.out(options.json === true ? jsonDocument('links', { map: site.mapFile, links }) : formatLinks(links, io));
  io.err('\nnext: open each link in a private window; each page must show a closed padlock\n');
}

/** A page or numbers of a few roads, or as nobody else sees them, would be taken for the whole. */
function refusePartial(names: readonly string[], options: VerifyOptions, plan: Plan): void {
  const shown = options.report !== undefined ? '--report' : options.metrics !== undefined ? '--metrics' : null;
  if (shown === null || (isWhole(names, options, plan) && options.script !== true && options.links !== true)) return;
  throw new Trouble({
    code: 'options-apart',
    message: `${shown} shows the whole map as visitors see it, but this run tests less.`,
    remedy: `Name no roads, and leave out --at, --read, --from-address, --script and --links.`,
    exitCode: 2,
  });
}

/** What no run tests unless it is asked to: it takes a minute, or sends bodies. Said where it is all that is left. */
function leftOut({ findings, roads }: VerifyResult, { plan }: Site, { thorough, read }: VerifyOptions): string {
  const isWell = findings.every(({ severity }) => severity === 'note');
  if (thorough === true || read !== undefined || !isWell || roads.length === 0) return '';
  const isLive = plan.roads.some(({ rules }) => rules.expect?.websocket === true);
  return `Not tested: whole uploads${isLive ? ', and live connections that stay quiet for a minute' : ''}. To test that too: mile-marker verify --thorough\n`;
}

function nextStep({ findings, roads }: VerifyResult): string {
  const bad = findings.filter(({ severity }) => severity !== 'note');
  if (bad.length > 0) return 'next: fix the first finding, then: mile-marker verify\n';
  if (findings.some(saysNotNewest))
    return 'The front has no faults, but runs an older map.\nnext: mile-marker install\n';
  const { untested, unsure } = countStandings(roads);
  return untested + unsure > 0
    ? `Nothing wrong was found.\nnext: test the ${plural(untested + unsure, 'road')} that could not be tested completely, as the notes say\n`
    : 'Nothing needs doing. To have it tested every night: mile-marker install timers\n';
}

/** A mute resolver, no way to the front, or a gate before every road: this machine could not see, which is not the same as all being well. */
function couldNotSee({ roads }: VerifyResult): boolean {
  const unseen = (name: LegName): boolean =>
    roads.every(({ legs }) => legs.some(({ leg, outcome }) => leg === name && outcome === 'unsure'));
  // A record of another machine in which nothing stands is no sign that all is well.
  const isOpen = roads.every((road) => ['untested', 'unsure'].includes(standingOf(road)));
  return roads.length > 0 && (unseen('dns') || unseen('port') || isOpen);
}
