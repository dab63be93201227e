import { exit, Trouble } from '../../../adapters/trouble.ts';
import { nextFree } from '../../../core/inventory/ledger.ts';
import type { Proposal } from '../../../core/survey/propose.ts';
import { editMap } from '../../../use-cases/map/edit.ts';
import { takeSurvey, type SurveyResult, type UnreadMap } from '../../../use-cases/survey/survey.ts';
import { askingWhatRuns, whileSlow } from '../../while-slow.ts';
import type { CommandContext, Io } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { countFindings, countsInWords, formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, wrap } from '../../print/style.ts';
import { formatLedger, formatPassedOver, formatProposals, formatSurvey, proposalWords } from '../../print/survey.ts';

export interface SurveyOptions {
  map?: string;
  json?: boolean;
  add?: boolean;
  yes?: boolean;
  ports?: boolean;
  free?: boolean;
  from: number;
}

export async function runSurvey(options: SurveyOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const result = await whileSlow(askingWhatRuns, io, takeSurvey(options.map, io));
  if ('unread' in result) {
    tellUnread(result, options, context);
    return;
  }
  if (options.free === true) printFree(result, options, io);
  else if (options.ports === true) printLedger(result, options, io);
  else if (options.add === true) await addRoads(result, options, context);
  else await printSurvey(result, options, io);
  // What stands in a file that cannot be read is not in this list.
  const unread = result.findings.filter(({ severity }) => severity === 'error');
  if (unread.length === 0) return;
  if (options.json !== true) io.err(`\n${formatFindings(unread, { width: io.width, colour: io.colour.err })}`);
  context.setCode(exit.cannotJudge);
}

function tellUnread(
  { unread: findings, shownMap: map }: UnreadMap,
  { json }: SurveyOptions,
  { io, setCode }: CommandContext,
): void {
  if (json === true) io.out(jsonDocument('survey', { map, findings, summary: countFindings(findings) }));
  else io.out(formatFindings(findings, { width: io.width, colour: io.colour.out }));
  io.err(
    `\nThe map has errors: ${countsInWords(countFindings(findings))}.\nnext: fix the map, then: mile-marker survey\n`,
  );
  setCode(exit.badInput);
}

async function printSurvey(result: SurveyResult, { json, map: option }: SurveyOptions, io: Io): Promise<void> {
  const { site, asked, survey, proposals, passedOver, served, findings } = result;
  const map = site?.mapFile ?? null;
  if (json === true) {
    io.out(jsonDocument('survey', { map, asked, ...survey, served, proposals, passedOver, findings }));
    return;
  }
  if (site === null) io.err('map: none yet\n');
  else await sayMap(option, site.mapFile, io);
  io.out(formatSurvey(result, { width: io.width, colour: io.colour.out }));
  const services = survey.projects.flatMap((project) => project.services);
  const onRoads = services.filter(({ roads }) => roads.length > 0).length;
  const nowhere = survey.nowhere.length > 0 ? `, ${plural(survey.nowhere.length, 'road')} to nowhere` : '';
  const here =
    (site?.map?.machines.length ?? 0) > 0
      ? 'The container engine of this machine was not asked'
      : 'No container engine was asked';
  const source = asked ? '' : ` ${here}, so it is not known what runs.`;
  io.err(
    `${services.length > 0 ? '\n' : ''}${plural(services.length, 'service')}, ${String(onRoads)} on roads${nowhere}.${source}\n`,
  );
  io.err(`next: ${nextStep(result)}\n`);
}

function nextStep({ site, survey, proposals, served }: SurveyResult): string {
  if (site === null) {
    // What serves names already is the best beginning; `_` and the like are none.
    const by = served.find(({ blocks }) => blocks.some(({ names }) => names.some((name) => name.includes('.'))))?.by;
    return `mile-marker init ${by === undefined ? '--domain NAME' : `--from ${by}`} --address ADDRESS`;
  }
  if (survey.nowhere.length > 0) return 'mile-marker check (shows what to do about the roads that lead nowhere)';
  return proposals.length > 0 ? 'mile-marker survey --add' : 'mile-marker check';
}

function printLedger({ ledger, asked }: SurveyResult, { json }: SurveyOptions, io: Io): void {
  if (json === true) io.out(jsonDocument('ports', { asked, ports: ledger }));
  else io.out(ledger.length === 0 ? '' : formatLedger(ledger, { colour: io.colour.out }));
  const hidden = ledger.some(({ owner }) => owner.kind === 'hidden');
  io.err(
    `${plural(new Set(ledger.map(({ port, protocol }) => `${String(port)}/${protocol}`)).size, 'port')} in use or reserved.${hidden ? ' To see every program: sudo mile-marker survey --ports' : ''}\n`,
  );
  io.err('next: mile-marker survey --free\n');
}

function printFree({ ledger }: SurveyResult, { from, json }: SurveyOptions, io: Io): void {
  const port = nextFree(ledger, from);
  if (port === null) {
    const message = `No port from ${String(from)} on is free.`;
    throw new Trouble({ code: 'no-free-port', message, remedy: 'Start lower: --from 8000', exitCode: 3 });
  }
  io.out(json === true ? jsonDocument('free-port', { from, port }) : `${String(port)}\n`);
}

async function addRoads(result: SurveyResult, options: SurveyOptions, { io, setCode }: CommandContext): Promise<void> {
  const { site, proposals, passedOver } = result;
  if (site === null) {
    const message = 'There is no map yet.';
    const remedy = 'Make one: mile-marker init --domain NAME --address ADDRESS';
    throw new Trouble({ code: 'map-not-found', message, remedy, exitCode: 2 });
  }
  const isForAll = options.yes === true && proposals.length > 0;
  if (options.json !== true) {
    await sayMap(options.map, site.mapFile, io);
    const look = { width: io.width, colour: io.colour.out };
    // Who says yes to all of them reads what was added, and then what was not.
    if (!isForAll) io.out(formatProposals(proposals, look) + formatPassedOver(passedOver, look));
  }
  const chosen = await choose(proposals, options, io);
  if (chosen === null) {
    io.err(
      `${proposals.length > 0 ? '\n' : ''}Nothing was added: there is no terminal to ask you.\nnext: mile-marker survey --add --yes\n`,
    );
    if (options.json === true)
      io.out(jsonDocument('survey-add', { map: site.mapFile, added: [], proposals, passedOver }));
    setCode(exit.badInput);
    return;
  }
  const added: string[] = [];
  for (const { proposal, port } of chosen) {
    const { key, service } = proposal;
    const to = `${service}:${String(port)}`;
    const edit = { kind: 'add', road: key, to, redirect: null, open: false, like: null } as const;
    const { road } = await editMap(options.map, edit, io);
    added.push(road);
    if (options.json !== true)
      io.out(wrap(`added ${proposalWords(proposal, port)}`, { width: io.width, indent: '  ' }));
  }
  if (options.json === true) io.out(jsonDocument('survey-add', { map: site.mapFile, added, proposals, passedOver }));
  else if (isForAll) io.out(formatPassedOver(passedOver, { width: io.width, colour: io.colour.out }));
  if (added.length === 0) {
    io.err('\nNothing was added.\nnext: mile-marker check\n');
    return;
  }
  io.err(
    `\n${plural(added.length, 'road')} added. Finish the setup of each service before you open it to everyone.\nnext: mile-marker check\n`,
  );
}

interface Chosen {
  proposal: Proposal;
  port: number;
}

/** Null when nobody can be asked and `--yes` was not given. */
async function choose(proposals: readonly Proposal[], { yes, json }: SurveyOptions, io: Io): Promise<Chosen[] | null> {
  const first = (proposal: Proposal): Chosen => ({ proposal, port: proposal.ports[0] ?? 0 });
  if (yes === true || proposals.length === 0) return proposals.map(first);
  if (io.ask === null || json === true) return null;
  const chosen: Chosen[] = [];
  for (const proposal of proposals) {
    const { name, service, ports } = proposal;
    const to = `${service}:${String(ports[0])}`;
    const others = ports.length > 1 ? `, or one of the ports ${ports.slice(1).join(', ')}` : '';
    const answer = (await io.ask(`Add ${name} to ${to}? [y/N${others}] `)).trim().toLowerCase();
    const port = ports.find((one) => String(one) === answer);
    if (port !== undefined) chosen.push({ ...first(proposal), port });
    else if (answer === 'y' || answer === 'yes') chosen.push(first(proposal));
  }
  return chosen;
}
