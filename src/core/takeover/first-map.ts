import { covers } from '../certificates/cover.ts';
import { schemaLine } from '../map/starter.ts';
import type { ProxyName } from '../proxies/names.ts';
import type { RuleKey } from '../road-rules/road-rules.ts';
import type { Left, TakenGate, TakenLeads, TakenOver, TakenRoad, TakenRules } from './taken-over.ts';

interface MapInput {
  taken: TakenOver;
  /** Null: as the names have it. */
  domain: string | null;
  addresses: readonly string[];
  proxy: ProxyName;
  /** Names of the certificates in use, by their file, as far as they can be read. */
  covered?: ReadonlyMap<string, readonly string[]>;
}

/** The text of a first map that says what was served by hand: each road with where that stood, and at the end what could not be said. */
export function takenMap({ taken, domain, addresses, proxy, covered = new Map() }: MapInput): string {
  const roads = taken.roads.map(unique);
  const names = roads.map(({ name }) => name.replace(/^\*\./, ''));
  const domains = domainsOf(names, domain);
  const gates = gatesOf(roads);
  return [
    schemaLine,
    '# The map, made from the old configuration. Each road says where it came from.',
    '# Check it with `mile-marker check`, and compare it with the running server: mile-marker verify',
    `domains: [${domains.map(scalar).join(', ')}]`,
    '',
    'front:',
    `  address: [${addresses.map(scalar).join(', ')}]`,
    `  proxy: ${proxy}`,
    ...portLines(taken.ports),
    ...certificateLines(roads, covered),
    ...(gates.size === 0 ? [] : ['', 'gates:', ...[...gates].flatMap(([name, { gate }]) => gateLines(name, gate))]),
    '',
    'roads:',
    ...roads.flatMap((road) => roadLines(road, domains, gates)),
    ...leftLines(taken.left),
    '',
  ].join('\n');
}

/** Of what a map has once, such as a header of one name, the first counts; servers put what is nearer first. */
function unique(road: TakenRoad): TakenRoad {
  const first = <T>(all: readonly T[], key: (one: T) => string): T[] =>
    [...new Map([...all].reverse().map((one) => [key(one), one])).values()].reverse();
  return {
    ...road,
    rules: Object.fromEntries(
      Object.entries(road.rules).map(([key, value]) => [
        key,
        Array.isArray(value) ? first(value, ([name]) => name.toLowerCase()) : value,
      ]),
    ),
    paths: first(road.paths, ({ prefix }) => prefix),
  };
}

function portLines({ http, https }: TakenOver['ports']): string[] {
  if (http === 80 && https === 443) return [];
  return [
    '  # Where it listens now. If visitors see other ports, write them here, and these under `listen`.',
    `  ports: {http: ${String(http)}, https: ${String(https)}}`,
  ];
}

/** Names that others are below: those given, else the shortest on the list, else what stands behind the first dot. */
function domainsOf(names: readonly string[], first: string | null): string[] {
  const found: string[] = first === null ? [] : [first];
  const isBelow = (name: string): boolean => found.some((one) => name === one || name.endsWith(`.${one}`));
  for (const name of [...new Set(names)].sort((a, b) => a.split('.').length - b.split('.').length)) {
    if (isBelow(name)) continue;
    const labels = name.split('.');
    // Two-letter countries keep a level below them for registrations, such as co.uk.
    const isBare =
      labels.length === 2 || (labels.length === 3 && (labels[1]?.length ?? 9) <= 3 && labels[2]?.length === 2);
    found.push(isBare ? name : labels.slice(1).join('.'));
  }
  return found;
}

function gatesOf(roads: readonly TakenRoad[]): Map<string, { gate: TakenGate; key: string }> {
  const gates = new Map<string, { gate: TakenGate; key: string }>();
  const keys = new Set<string>();
  for (const { gate, name } of roads) {
    if (gate === null || gate.unsaid || keys.has(keyOf(gate))) continue;
    keys.add(keyOf(gate));
    gates.set(`as-${name.replace(/^\*\./, 'others.').replace(/\./g, '-')}`, { gate, key: keyOf(gate) });
  }
  return gates;
}

function keyOf({ networks, people, need, except }: TakenGate): string {
  return JSON.stringify([networks, people, need, except]);
}

function gateLines(name: string, { networks, people, need, except }: TakenGate): string[] {
  return [
    `  ${name}:`,
    ...(networks.length === 0 ? [] : [`    networks: [${networks.map(scalar).join(', ')}]`]),
    ...(people === null ? [] : [`    people: ${scalar(people)}`]),
    ...(networks.length > 0 && people !== null ? [`    need: ${need}`] : []),
    ...(except.length === 0 ? [] : [`    except: [${except.map(scalar).join(', ')}]`]),
  ];
}

/** Pairs that are there already stay in use: one entry a pair, with the names that it was shown for. */
function certificateLines(roads: readonly TakenRoad[], covered: ReadonlyMap<string, readonly string[]>): string[] {
  const pairs = new Map<string, { names: string[]; certificate: string; key: string }>();
  for (const { name, certificate: pair } of roads) {
    if (pair === null) continue;
    const known = pairs.get(pair.certificate);
    if (known === undefined) pairs.set(pair.certificate, { names: [name], ...pair });
    else known.names.push(name);
  }
  if (pairs.size === 0) return [];
  const entries = [...pairs.values()].flatMap(({ names, certificate, key }, index) => [
    `  taken-${String(index + 1)}:`,
    ...nameLines(names, covered.get(certificate) ?? []),
    `    from: {files: {certificate: ${scalar(certificate)}, key: ${scalar(key)}}}`,
  ]);
  return [
    '',
    '# Pairs that are in use already. Take them over with: mile-marker certs import CERTIFICATE KEY',
    'certificates:',
    ...entries,
  ];
}

/** What a pair with wildcards is for, and all that are below them; else the names that it was shown for. */
function nameLines(names: readonly string[], inFile: readonly string[]): string[] {
  const bases = inFile.flatMap((name) => (name.startsWith('*.') ? [name.slice(2)] : []));
  const isWhole =
    bases.length > 0 &&
    bases.every((base) => inFile.includes(base)) &&
    names.every((name) => bases.includes(name) || covers(inFile, name));
  return [
    `    names: [${(isWhole ? bases : names).map(scalar).join(', ')}]`,
    ...(isWhole ? ['    wildcard: true'] : []),
  ];
}

function roadLines(road: TakenRoad, domains: readonly string[], gates: ReturnType<typeof gatesOf>): string[] {
  const { name, origin, leads, paths, gate } = road;
  const gateName =
    gate === null ? 'everyone' : gate.unsaid ? 'home' : [...gates].find(([, one]) => one.key === keyOf(gate))?.[0];
  const key = name.startsWith('*.') && name.slice(2) === domains[0] ? 'others' : name;
  return [
    `  # ${origin.file}:${String(origin.line)}`,
    ...(gate === null || gate.wasOn === null
      ? []
      : [`  # Its gate was on ${gate.wasOn} only. A gate of a map is on the whole road.`]),
    `  ${scalar(key)}:`,
    ...leadLines(leads).map((line) => `    ${line}`),
    `    gate: ${gateName ?? 'home'}`,
    ...Object.entries(road.rules).flatMap(([rule, value]) => ruleLines(rule, value).map((line) => `    ${line}`)),
    ...(paths.length === 0 ? [] : ['    paths:']),
    ...paths.flatMap((part) => [
      `      # ${part.origin.file}:${String(part.origin.line)}`,
      `      ${scalar(part.prefix)}:`,
      ...leadLines(part.leads).map((line) => `        ${line}`),
    ]),
  ];
}

function ruleLines(key: string, value: TakenRules[RuleKey]): string[] {
  if (value === null || value === undefined || value.length === 0) return [];
  if (typeof value === 'string') return [`${key}: ${value}`];
  return [`${key}:`, ...value.map(([name, text]) => `  ${scalar(name)}: ${scalar(text)}`)];
}

function leadLines(leads: TakenLeads): string[] {
  switch (leads.kind) {
    case 'folder':
      return [`folder: ${scalar(leads.path)}`];
    case 'redirect':
      return [`redirect: ${scalar(leads.url)}`, ...(leads.permanent ? ['permanent: true'] : [])];
    case 'service':
      return [
        `to: ${scalar(leads.to)}`,
        ...(leads.insecure ? ['upstream-insecure: true'] : []),
        ...(leads.sayHost === null ? [] : [`upstream-host: ${scalar(leads.sayHost)}`]),
      ];
  }
}

function leftLines(left: readonly Left[]): string[] {
  if (left.length === 0) return [];
  const lines = left.map(({ origin, what, why }) => `#   ${origin.file}:${String(origin.line)}  ${what}: ${why}`);
  return ['', '# Not taken over:', ...lines.map((line) => line.replace(/[\r\n]+/g, ' '))];
}

/** A word that YAML reads as itself, else in quotes (YAML 1.2 §7.3.1). */
function scalar(value: string): string {
  return /^[A-Za-z0-9/._][A-Za-z0-9/._-]*$/.test(value) && !/^[\d.]+$|^(true|false|null|yes|no|on|off|~)$/i.test(value)
    ? value
    : JSON.stringify(value);
}
