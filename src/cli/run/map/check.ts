import { isListening } from '../../../adapters/host/sockets.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { reaches, sortFindings, type Finding, type Severity } from '../../../core/findings/finding.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { findForgotten } from '../../../use-cases/map/forgotten.ts';
import { judgeSite, type Site } from '../../../use-cases/map/load.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { countFindings, countsInWords, formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { nextCertificate } from '../../print/next-certificate.ts';
import { plural } from '../../print/style.ts';

interface CheckOptions extends OpenOptions {
  failOn: Severity;
  installed?: boolean;
}

export async function runCheck(options: CheckOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'check');
  if (site === null) return;
  const old = await findForgotten(site, io.now());
  const judged = sortFindings([...(await judgeSite(site, { now: io.now(), env: io.env })), ...old]);
  const findings = options.installed === true ? sortFindings([...judged, ...(await judgeLive(site, io))]) : judged;
  const summary = countFindings(findings);
  const roads = site.plan.roads.length;
  if (options.json === true) io.out(jsonDocument('check', { map: site.mapFile, roads, findings, summary }));
  else io.out(formatFindings(findings, { width: io.width, colour: io.colour.out }));
  io.err(
    `${findings.length > 0 ? '\n' : ''}${plural(roads, 'road')}: ${countsInWords(summary)}.\n${await nextStep(findings, site, io)}`,
  );
  // What could not be asked leaves the judgement open; what was found wrong all the same is the stronger word.
  const others = findings.filter(({ rule }) => rule !== 'engine-unanswered');
  if (reaches(others, options.failOn)) setCode(exit.foundWrong);
  else if (reaches(findings, options.failOn)) setCode(exit.cannotJudge);
}

async function judgeLive(site: Site, { env, now, signal }: Io): Promise<Finding[]> {
  const { judgeInstalledFront } = await import('../../../use-cases/live/judge-installed.ts');
  const { judgeRenewal } = await import('../../../use-cases/live/judge-renewal.ts');
  const [front, renewal] = await Promise.all([judgeInstalledFront(site, { env, now, signal }), judgeRenewal(site)]);
  return [...front, ...renewal];
}

async function nextStep(findings: readonly Finding[], site: Site, io: Io): Promise<string> {
  const { plan } = site;
  if (plan.roads.length === 0) return 'next: write your first road under `roads` in the map\n';
  const errors = findings.filter(({ severity }) => severity === 'error');
  if (errors.some(({ rule }) => rule !== 'no-certificate')) return 'next: fix the errors, then: mile-marker check\n';
  const roads = new Set(errors.flatMap((error) => error.roads));
  const ids = new Set(plan.roads.filter(({ name }) => roads.has(name)).map(({ certificate }) => certificate));
  const missing = plan.certificates.filter(({ id }) => ids.has(id));
  if (missing.length > 0) return nextCertificate(missing, plan);
  if (await isLive(site, io))
    return findings.some(({ severity }) => severity === 'warning')
      ? 'The front runs this map.\nnext: fix the warnings, or write `meant-so` on their roads\n'
      : 'The front runs this map. Nothing needs doing. To test every road: mile-marker verify\n';
  return `next: ${programOf(plan.front.proxy).words.first(plan.front)}\n`;
}

/** Whether the front runs what the map says, by its own mark, and reads it at its next start. */
async function isLive(site: Site, io: Io): Promise<boolean> {
  const { container, mark } = site.plan.front;
  // Its mark is inside, and so is what it reads.
  if (container !== null) return isContainerLive(site, io);
  // Where nobody listens there is nobody to ask. Where listeners cannot be seen, they are asked all the same.
  if (isListening(mark.port) === false) return false;
  const { readRunning } = await import('../../../use-cases/verify/asking/running.ts');
  const running = await readRunning(site, { timeoutMs: 1000, signal: io.signal }, io.env);
  if (running === null || running.wanted === null || running.reads?.isRead === false) return false;
  return running.runs.endsWith(running.wanted);
}

async function isContainerLive(site: Site, { env, now, signal, cwd }: Io): Promise<boolean> {
  if (site.engineTrouble !== null) return false;
  const { previewInstall } = await import('../../../use-cases/live/preview-install.ts');
  const preview = await previewInstall({ site, cwd, env, now, signal }).catch((error: unknown) => {
    if (error instanceof Trouble) return null;
    throw error;
  });
  return preview?.isLive === true;
}
