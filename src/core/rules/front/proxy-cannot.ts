import { filesOf, type CheckKind } from '../../gates/check.ts';
import { kindOf } from '../../gates/kinds.ts';
import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { withPort } from '../../networks/address.ts';
import { addressesOf, partName } from '../../plan/parts.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import type { ProxyProgram } from '../../proxies/program.ts';
import { programOf, writtenPrograms } from '../../proxies/programs.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'proxy-cannot',
  severity: 'error',
  summary: 'The map uses something that its proxy cannot do.',
  why: 'Visitors would get an error, or a log would stay empty.',
  source: 'the documentation of the proxy; docs/proxies.md has all in which they differ',
  messages: {
    folder: {
      message: '`{road}` shows {folder}, but {proxy} cannot serve files.',
      remedy:
        'Serve it from a service, and lead the road there: `to: SERVICE:PORT`. Or write another proxy under `front`: {others}',
    },
    people: {
      message: '`{road}` has gates with several password files, but {proxy} can use only one for each road.',
      remedy:
        'Keep one gate with people, and put everybody who may pass into its file. Or write another proxy under `front`: {others}',
    },
    gate: {
      message: '`{road}` has the gate `{gate}`, which needs {what}. {proxy} cannot do that.',
      remedy: 'Write another gate on the road. Or write another proxy under `front`: {others}',
    },
    raw: {
      message: '`{port}` is a raw port, but {proxy} cannot pass on {protocol}.',
      remedy: 'Remove it. Or write another proxy under `front`: {others}',
    },
    rate: {
      message: '`{road}` has a `rate`, but {proxy} cannot count requests.',
      remedy: 'Remove `rate`. Or write another proxy under `front`: {others}',
    },
    passwords: {
      message: '{proxy} cannot count requests, so passwords can be guessed on {count} without a limit.',
      remedy:
        'Give them long passwords: `mile-marker people add NAME --gate GATE --generate`. Or write another proxy under `front`: {others}',
    },
    several: {
      message: '`{service}` has {count} replicas, but {proxy} uses only the one at {at}.',
      remedy:
        'If that replica moves, run again: mile-marker install. To use all replicas, write another proxy under `front`: {others}',
    },
    log: {
      message: '`{road}` has the log file {file}, but {proxy} cannot write files.',
      remedy:
        'Remove `log`: it logs to the journal (`log` in its own configuration). Or write another proxy under `front`: {others}',
    },
  },
});

/** How a map says another proxy that can. */
function able(can: (limits: ProxyProgram['limits']) => boolean): string {
  const names = writtenPrograms().flatMap(({ name, limits }) => (can(limits) ? [`proxy: ${name}`] : []));
  return names.join(', or ');
}

export const proxyCannot: Rule = {
  card: words,
  check: ({ plan }) => {
    const { limits, title: proxy } = programOf(plan.front.proxy);
    const found = [
      ...rawPorts(plan, proxy),
      ...plan.roads.flatMap((road) => [
        ...(limits.folders ? [] : shownFolders(road, proxy)),
        ...(limits.logFiles ? [] : logged(road, proxy)),
        ...gated(road, proxy, limits.checks),
        ...(limits.peopleFiles === 'many' ? [] : severalFiles(road, proxy)),
        ...(limits.rate ? [] : counted(road, proxy)),
        ...several(road, limits.severalTimes, proxy),
      ]),
    ];
    return limits.rate ? found : [...found, ...passwords(plan, proxy)];
  },
};

function rawPorts({ ports, front }: Plan, proxy: string): Finding[] {
  const { rawPorts: passed } = programOf(front.proxy).limits;
  return ports.flatMap(({ name, protocol, where }) => {
    if (passed.includes(protocol)) return [];
    const others = able(({ rawPorts }) => rawPorts.includes(protocol));
    const data = { proxy, port: name, protocol: protocol.toUpperCase(), others };
    return [tell(words, { say: 'raw', data, roads: [name], where })];
  });
}

function shownFolders({ name, display, parts }: PlannedRoad, proxy: string): Finding[] {
  return parts.flatMap(({ leads, prefix, where }) => {
    if (leads.kind !== 'folder') return [];
    const others = able(({ folders }) => folders);
    const data = { proxy, road: partName(display, prefix), folder: leads.path, others };
    return [tell(words, { say: 'folder', data, roads: [name], where })];
  });
}

function gated({ name, display, gate, where }: PlannedRoad, proxy: string, can: readonly CheckKind[]): Finding[] {
  return gate.parts.flatMap((part) =>
    part.checks
      .filter(({ kind }) => !can.includes(kind))
      .map((check) => {
        const others = able(({ checks }) => checks.includes(check.kind));
        const data = { proxy, road: display, gate: part.name, what: kindOf(check).noun, others };
        return tell(words, { say: 'gate', data, roads: [name], where });
      }),
  );
}

function logged(road: PlannedRoad, proxy: string): Finding[] {
  const { log } = road.rules;
  if (typeof log !== 'string') return [];
  const others = able(({ logFiles }) => logFiles);
  const data = { proxy, road: road.display, file: log, others };
  return [tell(words, { say: 'log', data, roads: [road.name], where: placeOf(road, 'log') })];
}

function severalFiles(road: PlannedRoad, proxy: string): Finding[] {
  if (filesOf(road.gate).length < 2) return [];
  const data = { proxy, road: road.display, others: able(({ peopleFiles }) => peopleFiles === 'many') };
  return [tell(words, { say: 'people', data, roads: [road.name], where: placeOf(road, 'gate') })];
}

/** What the map says itself; every gate with people has one that it does not say. */
function counted(road: PlannedRoad, proxy: string): Finding[] {
  if (road.rules.rate === null || road.lines['rate'] === undefined) return [];
  const data = { proxy, road: road.display, others: able(({ rate }) => rate) };
  return [tell(words, { say: 'rate', data, roads: [road.name], where: placeOf(road, 'rate') })];
}

function several({ name, parts }: PlannedRoad, can: ProxyProgram['limits']['severalTimes'], proxy: string): Finding[] {
  if (can === 'yes' || (can === 'alone' && parts.length === 1)) return [];
  return parts.flatMap(({ leads, where }) => {
    const upstream = leads.kind === 'service' ? leads.upstream : null;
    const count = upstream === null ? 1 : addressesOf(upstream).length;
    if (upstream === null || count === 1) return [];
    const others = able(({ severalTimes }) => severalTimes === 'yes');
    const at = withPort(upstream.host, upstream.port);
    const data = { service: upstream.service ?? at, count, proxy, at, others };
    return [tell(words, { say: 'several', severity: 'warning', data, roads: [name], where })];
  });
}

function passwords({ roads, front }: Plan, proxy: string): Finding[] {
  const asking = roads.filter(({ gate, rules }) => rules.rate !== null && filesOf(gate).length === 1);
  if (asking.length === 0) return [];
  const count = asking.length === 1 ? 'one road' : `${String(asking.length)} roads`;
  const data = { proxy, count, others: able(({ rate }) => rate) };
  return [
    tell(words, {
      say: 'passwords',
      severity: 'note',
      data,
      roads: asking.map(({ name }) => name),
      where: front.where,
      cause: 'proxy-cannot:passwords',
    }),
  ];
}

function placeOf({ where, lines }: PlannedRoad, key: string): PlannedRoad['where'] {
  return { ...where, line: lines[key] ?? where.line };
}
