import { Trouble } from '../../../adapters/trouble.ts';
import { hostOf, webUrl } from '../../../core/names/web-url.ts';
import { parseAddress } from '../../../core/networks/address.ts';
import { roadToAsk } from '../../../core/plan/wildcard-road.ts';
import { knownDevices } from '../../../core/devices/ledger.ts';
import type { DeviceState, ShownDevice } from '../../../core/gates/kind.ts';
import { prepare } from '../../../core/verdict/decide.ts';
import { explain, type Explanation, type ExplainedStep } from '../../../core/verdict/explain.ts';
import { explainPort } from '../../../core/verdict/explain-port.ts';
import { nothingSet } from '../../../core/verdict/steps/step.ts';
import { exposedPorts, exposure, strangerTo, viewpoints } from '../../../core/verdict/exposure.ts';
import type { VerdictRequest } from '../../../core/verdict/verdict.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { chosenRoads } from '../../../use-cases/map/chosen-roads.ts';
import { loadDevices } from '../../../use-cases/map/devices.ts';
import { peopleOf } from '../../../use-cases/map/people-of.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite } from '../../open-site.ts';
import { accessWords } from '../../print/access-words.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';

export interface ExplainOptions {
  map?: string;
  json?: boolean;
  from?: string;
  as?: string;
  device?: string;
  method: string;
  header?: string[];
  all?: boolean;
  allSteps?: boolean;
}

export async function runExplain(url: string | null, options: ExplainOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'explain');
  if (site === null) return;
  if (options.all === true) {
    if (url !== null) throw wrongUse('--all shows every road and takes no URL.', 'Leave out the URL, or --all.');
    await printExposure(site, options, io);
    return;
  }
  if (url === null) throw wrongUse('Which request?', 'Name a URL or a road, or see everything with --all.');
  const isRoad = site.map.roads.some(({ key }) => key === url);
  if (!isRoad && /^\d+(\/|$)/.test(url)) {
    explainRaw(url, { site, options, io });
    return;
  }
  // A bare word is the name of a road, or a slip; whoever asks for a strange name writes it in full.
  if (!isRoad && /^[a-z0-9_-]+$/i.test(url)) chosenRoads(site.plan, [url]);
  const people = peopleOf(site);
  const device = await deviceOf(options.device, site, io.now());
  const { request, shown } = requestOf(url, options, site, people);
  if (device !== null) request.device = device;
  const explanation = explain(prepare(site.plan), request);
  if (options.json === true) {
    io.out(jsonDocument('explain', { map: site.mapFile, request, ...explanation }));
    return;
  }
  printExplanation(explanation, { site, options, request, shown, io });
}

/** Who stands in each password file of the plan. */
function requestOf(
  typed: string,
  { from, as, method, header = [] }: ExplainOptions,
  { plan, map }: Site,
  people: ReadonlyMap<string, readonly string[]>,
): { request: VerdictRequest; shown: string } {
  const road = map.roads.find(({ key, name, display }) => [key, name, display].includes(typed));
  const planned = plan.roads.find(({ name }) => name === road?.name);
  const authority = planned === undefined ? undefined : roadToAsk(planned, plan).authority;
  const shown =
    authority === undefined ? (/^https?:\/\//i.test(typed) ? typed : `https://${typed}`) : `https://${authority}/`;
  const url = webUrl(shown);
  if (url === null)
    throw wrongUse(
      `This is neither a URL nor a road: ${typed}`,
      'Write it in full, such as https://nestcam.saltmarsh.example/live.',
    );
  const peer = peerOf(from, plan);
  const knownIn = as === undefined ? [] : [...people].filter(([, names]) => names.includes(as)).map(([file]) => file);
  if (as !== undefined && knownIn.length === 0) {
    const known = [...new Set([...people.values()].flat())].join(', ');
    throw wrongUse(
      `Nobody is called ${as} in the password files of the map.`,
      known === '' ? 'Add somebody: mile-marker people add NAME' : `Name one of: ${known}.`,
    );
  }
  const listener = url.protocol === 'https:' ? 'https' : 'http';
  const [, said = '', target = ''] = /^https?:\/\/([^/?#]*)([^#]*)/i.exec(shown) ?? [];
  const request: VerdictRequest = {
    listener,
    sni: listener === 'https' && parseAddress(url.hostname) === null ? hostOf(url) : null,
    host: [said],
    method: method.toUpperCase(),
    target: target.startsWith('/') ? target : `/${target}`,
    httpVersion: '1.1',
    peer,
    headers: headersOf(header, as),
    person: as ?? 'none',
    knownIn,
    overRate: false,
  };
  return { request, shown };
}

/** Names of the devices of the map that count; none where they cannot be read, which `check` tells. */
async function devicesOf({ paths }: Site, now: Date): Promise<string[]> {
  const ledger = await loadDevices(paths).catch(() => null);
  return ledger === null ? [] : knownDevices(ledger, now);
}

const states: readonly string[] = ['removed', 'ended', 'foreign'];

/** A device by its name, or what may be wrong with one. @throws Trouble `explain-what` */
async function deviceOf(typed: string | undefined, site: Site, now: Date): Promise<ShownDevice | null> {
  if (typed === undefined) return null;
  const known = await devicesOf(site, now);
  if (known.includes(typed)) return { state: 'good', name: typed };
  if (states.includes(typed)) return { state: typed as DeviceState };
  throw wrongUse(
    `No device is called ${typed}.`,
    `${known.length === 0 ? 'Add one: mile-marker devices add NAME' : `Name one of: ${known.join(', ')}`}; or what is wrong with one: removed, ended, foreign.`,
  );
}

function deviceShownWords(typed: string): string {
  return states.includes(typed) ? `a device that is ${typed}` : `the device ${typed}`;
}

function peerOf(from: string | undefined, plan: Site['plan']): string {
  const peer = from === undefined ? strangerTo(plan) : parseAddress(from);
  if (peer !== null) return peer;
  throw wrongUse(`--from expects an IPv4 or IPv6 address. Found: ${from ?? ''}`, 'Write one, such as 192.168.64.20.');
}

/** A raw port, by its number or as the map writes it. */
function explainRaw(typed: string, { site, options, io }: Omit<Shown, 'request' | 'shown'>): void {
  const { ports } = site.plan;
  const port = ports.find(({ name, port: number }) => name === typed || String(number) === typed);
  if (port === undefined) {
    const known = ports.map(({ name }) => name).join(', ');
    throw wrongUse(
      `The map has no raw port ${typed}.`,
      known === '' ? 'Name a URL or a road.' : `Name one of: ${known}; or a URL or a road.`,
    );
  }
  const peer = peerOf(options.from, site.plan);
  const { admitted, steps } = explainPort(port, peer);
  if (options.json === true) {
    io.out(jsonDocument('explain-port', { map: site.mapFile, port: port.name, peer, admitted, steps }));
    return;
  }
  io.out(`${port.name}\n${whoWords(peer, options)}\n\n`);
  printSteps(steps, io);
  printEnd(site, io);
}

function whoWords(peer: string, { as, device, from }: ExplainOptions): string {
  const who = [
    ...(as === undefined ? [] : [as]),
    ...(device === undefined ? [] : [`with ${deviceShownWords(device)}`]),
  ];
  return `${who.map((one) => `${one}, `).join('')}from ${peer}${from === undefined ? ', an address on the internet' : ''}`;
}

function printEnd({ shownMap }: Site, io: Io): void {
  io.err(`\nLine numbers refer to ${shownMap}. Nothing was sent.\nnext: mile-marker explain --all\n`);
}

function headersOf(lines: readonly string[], as: string | undefined): Record<string, string[]> {
  const headers = Object.create(null) as Record<string, string[]>;
  if (as !== undefined) headers['authorization'] = ['Basic (not shown)'];
  for (const line of lines) {
    const [, name, value = ''] = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+):\s*(.*)$/.exec(line) ?? [];
    if (name === undefined)
      throw wrongUse(
        `--header expects NAME: VALUE. Found: ${line}`,
        'Write it so, such as "Origin: https://www.saltmarsh.example".',
      );
    (headers[name.toLowerCase()] ??= []).push(value);
  }
  return headers;
}

function wrongUse(message: string, remedy: string): Trouble {
  return new Trouble({ code: 'explain-what', message, remedy, exitCode: 2 });
}

interface Shown {
  site: Site;
  options: ExplainOptions;
  request: VerdictRequest;
  shown: string;
  io: Io;
}

function printExplanation({ verdict, steps }: Explanation, { site, options, request, shown, io }: Shown): void {
  io.out(`${request.method} ${shown}\n${whoWords(request.peer, options)}\n\n`);
  printSteps(options.allSteps === true ? steps : steps.filter(isTelling), io);
  if (verdict.act === 'forward') {
    io.out('\nthe service receives\n');
    for (const [name, value] of Object.entries(verdict.headers)) io.out(`   ${name}: ${value}\n`);
  }
  printEnd(site, io);
}

/** One name of ours says little to a person. */
function shownStep(step: string): string {
  return step === 'sanity' ? 'well-formed' : step;
}

/** A step at which nothing is set has nothing to tell. */
function isTelling({ words, outcome }: ExplainedStep): boolean {
  return outcome === 'decides' || words !== nothingSet.words;
}

function printSteps(steps: ReadonlyArray<Omit<ExplainedStep, 'step'> & { step: string }>, io: Io): void {
  const paint = style(io.colour.out);
  const reached = steps.filter(({ outcome }) => outcome !== 'not-reached');
  const width = Math.max(...reached.map(({ step }) => shownStep(step).length)) + 2;
  io.out(paint.bold(`   ${'step'.padEnd(width)}line\n`));
  for (const [index, { step, words, outcome, mapLine }] of reached.entries()) {
    const name = index > 0 && reached[index - 1]?.step === step ? '' : shownStep(step);
    const sign = outcome === 'decides' ? '=>' : '  ';
    const line = (mapLine === 0 ? '' : String(mapLine)).padStart(4);
    const first = `${sign} ${name.padEnd(width)}${line}  `;
    const text = wrap(words, { width: io.width, first, indent: ' '.repeat(first.length) });
    io.out(outcome === 'decides' ? paint.bold(text) : text);
  }
}

async function printExposure(site: Site, { json }: ExplainOptions, io: Io): Promise<void> {
  const from = viewpoints(site.plan, peopleOf(site), await devicesOf(site, io.now()));
  const rows = exposure(prepare(site.plan), from);
  const ports = exposedPorts(site.plan, from);
  if (json === true) {
    io.out(jsonDocument('exposure', { map: site.mapFile, viewpoints: from, rows, ports }));
    return;
  }
  const paint = style(io.colour.out);
  const nameOf = (name: string): string => site.plan.roads.find((road) => road.name === name)?.display ?? name;
  const labels = [
    ...rows.map(({ road, target }) => (target === '/' ? nameOf(road) : `  ${target}`)),
    ...ports.map(({ port }) => port),
  ];
  const room = Math.max(1, Math.floor((io.width - Math.max(4, ...labels.map((label) => label.length)) - 2) / 12));
  for (let first = 0; first < from.length; first += room) {
    const part = from.slice(first, first + room);
    const head = ['road', ...part.map(({ label }) => label)].map((word) => paint.bold(word));
    const lines = [...rows, ...ports].map(({ cells }, index) => [
      labels[index] ?? '',
      ...cells
        .slice(first, first + room)
        .map((cell) => (cell === 'passes' ? paint.yellow(accessWords[cell]) : accessWords[cell])),
    ]);
    io.out(`${first === 0 ? '' : '\n'}${table(head, lines)}`);
  }
  const open = rows.filter(({ cells, target }) => target === '/' && cells[0] === 'passes').length;
  const openPorts = ports.filter(({ cells }) => cells[0] === 'passes').length;
  const asks = rows.some(({ cells }) => cells.includes('asked')) ? ' `asks`: a service decides.' : '';
  const raw = ports.length === 0 ? '' : `, ${plural(openPorts, 'raw port')} of ${String(ports.length)}`;
  const seen = from.map(
    ({ label, peer, person, word, device }) =>
      `${label} ${device !== undefined ? 'from the internet' : word !== undefined ? '= let in by the service that is asked' : person === null ? `= ${peer}` : 'with the password, from the internet'}`,
  );
  io.err(`\n${wrap(seen.join('; '), { width: io.width })}`);
  io.err(
    `${plural(open, 'road')} of ${String(site.plan.roads.length)}${raw} open to everybody. \`-\` means refused.${asks} Nothing was sent.\n`,
  );
  io.err('next: mile-marker explain ROAD --from ADDRESS (shows why)\n');
}
