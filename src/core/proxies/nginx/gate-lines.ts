import { type CheckKind, type GatePart, checkOf, type PlannedGate } from '../../gates/check.ts';
import { linesOf, type CheckTable } from '../../gates/kinds.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { deviceVariable } from './devices.ts';
import { variable } from './ids.ts';
import { askGroups, askLines, askLocations, type Asking } from './asking.ts';
import { asksWhoItIs, unknownSuffix } from './visitor.ts';
import { pageLine } from './pages.ts';
import { escapePattern } from '../pattern.ts';
import { block, comment, namedText, pattern, quote } from './quote.ts';

/**
 * The way of a request through rate and gate to where the road leads: named locations, each of which opens the next by `try_files`,
 * the one directive that comes after access rules. Nothing lies below /dev/null, so it always goes on. A part that lets some targets
 * pass ungated is left out for them by a variable.
 */
export function gateLocations({ plan, road, current, listener, entry, next, refusals }: GateWay): string[] {
  const parts = steppedParts(road.gate);
  const [first] = parts;
  const onward = (index: number): string => stepTo(plan, road, index, next);
  // A gate without exceptions stands in the first location itself, which saves a step.
  const joined = first !== undefined && isPlain(plan, first);
  return [
    ...askLocations({ plan, road, current, listener }, parts),
    ...block(`location ${entry}`, [
      ...refusals,
      ...rateLines(road),
      ...(joined ? partLines(plan, road, first, 0) : []),
      tryNext(onward(joined ? 1 : 0)),
    ]),
    ...parts.flatMap((part, index) =>
      joined && index === 0
        ? []
        : [
            ...block(`location @gate${String(index)}`, [
              ...partLines(plan, road, part, index),
              tryNext(onward(index + 1)),
            ]),
            ...(asksWhoItIs(plan, part)
              ? block(`location @gate${String(index)}_unknown`, [
                  ...unknownLines(plan, road, part, index),
                  tryNext(onward(index + 1)),
                ])
              : []),
          ],
    ),
  ];
}

const stepped = new WeakMap<PlannedGate, GatePart[]>();

/**
 * The parts as nginx takes them one after the other. A part whose checks must all pass, of which one asks a service, is several: a visitor whom his network keeps out is not
 * told what the service would say. A device is known by a variable, which opens the way past the whole part.
 */
function steppedParts(gate: PlannedGate): GatePart[] {
  const known = stepped.get(gate);
  if (known !== undefined) return known;
  const parts = gate.parts.flatMap((part) =>
    part.need === 'any' || (checkOf(part, 'asks') === null && checkOf(part, 'devices') === null)
      ? [part]
      : part.checks.map((check) => ({ ...part, checks: [check] })),
  );
  stepped.set(gate, parts);
  return parts;
}

/** Rate and gate where all of them stand in one location, else null. */
export function onlyStep(plan: Plan, road: PlannedRoad): string[] | null {
  const [only, second] = steppedParts(road.gate);
  if (second !== undefined || (only !== undefined && !isPlain(plan, only))) return null;
  return [...rateLines(road), ...(only === undefined ? [] : partLines(plan, road, only, 0))];
}

/** @property entry the first location @property next what the last one opens @property refusals lines that answer before rate and gate */
interface GateWay extends Asking {
  entry: string;
  next: string;
  refusals: readonly string[];
}

/** Maps of the road, outside its servers. */
export function gateMaps(plan: Plan, road: PlannedRoad, next: string): string[] {
  const { name, rules } = road;
  const zone =
    rules.rate === null
      ? []
      : [
          `limit_req_zone $mile_marker_counted zone=${variable(name, 'rate')}:1m rate=${String(rules.rate.requests)}r/${rules.rate.perSeconds === 1 ? 's' : 'm'};`,
        ];
  const maps = steppedParts(road.gate).flatMap((part, index) => {
    const onward = stepTo(plan, road, index + 1, next);
    const known = deviceMap(plan, road, index, onward);
    if (part.except.length === 0) return known;
    const asked = known.length === 0 ? gateName(plan, part, index) : `$${deviceStep(road, index)}`;
    return [
      ...known,
      ...block(`map "$mile_marker_normal$request_uri" $${variable(name, `gate${String(index)}`)}`, [
        `default ${asked};`,
        ...part.except.map((prefix) => `${prefixPattern(prefix)} "${onward}";`),
      ]),
    ];
  });
  return [...zone, ...maps, ...peopleMaps(road), ...askGroups(road, steppedParts(road.gate))];
}

/** Past a part of which a device is enough, for devices that it knows; else to its location, where the rest of it is asked. */
function deviceMap(plan: Plan, road: PlannedRoad, index: number, onward: string): string[] {
  const part = steppedParts(road.gate)[index];
  const check = part === undefined ? null : checkOf(part, 'devices');
  if (part === undefined || check === null) return [];
  const refused = `"${gateName(plan, part, index)}"`;
  return block(
    `map ${deviceVariable} $${deviceStep(road, index)}`,
    check.names === null
      ? [`default "${onward}";`, `"" ${refused};`]
      : [`default ${refused};`, ...check.names.map((name) => `${name} "${onward}";`)],
  );
}

function deviceStep({ name }: PlannedRoad, index: number): string {
  return variable(name, `device${String(index)}`);
}

/** Nobody is known by a password that is not tried: it is looked for where there is none. */
function peopleMaps({ name, gate }: PlannedRoad): string[] {
  return steppedParts(gate).flatMap((part, index) => {
    const people = checkOf(part, 'people');
    return people === null
      ? []
      : block(`map $mile_marker_sound_password $${variable(name, `people${String(index)}`)}`, [
          `default ${quote(people.file)};`,
          '"" /dev/null;',
        ]);
  });
}

/** Where the part with this number is: its location, or the variable that leaves it out for some targets; `next` behind the last. */
function stepTo(plan: Plan, road: PlannedRoad, index: number, next: string): string {
  const { name, gate } = road;
  const part = steppedParts(gate)[index];
  if (part === undefined) return next;
  if (part.except.length === 0 && checkOf(part, 'devices') !== null) return `$${deviceStep(road, index)}`;
  return part.except.length > 0 ? `$${variable(name, `gate${String(index)}`)}` : gateName(plan, part, index);
}

/** Kinds that need no location or variable of their own. */
const plainKinds: readonly CheckKind[] = ['networks', 'people'];

/** Nothing about the request decides whether this part is asked, or how. */
function isPlain(plan: Plan, part: GatePart): boolean {
  const { checks, except } = part;
  return except.length === 0 && !asksWhoItIs(plan, part) && checks.every(({ kind }) => plainKinds.includes(kind));
}

function gateName(plan: Plan, part: GatePart, index: number): string {
  return `@gate${String(index)}${asksWhoItIs(plan, part) ? unknownSuffix : ''}`;
}

/** A pattern for "in normal form, and at or below this prefix", on `$mile_marker_normal$request_uri`. */
export function prefixPattern(prefix: string): string {
  const bare = escapePattern(prefix.replace(/\/$/, ''));
  const end = prefix.endsWith('/') ? '/' : '(?:[/?]|$)';
  return pattern(`~^yes${bare}${end}`);
}

function rateLines({ name, rules }: PlannedRoad): string[] {
  if (rules.rate === null) return [];
  return [
    `limit_req zone=${variable(name, 'rate')} burst=${String(rules.rate.burst)} nodelay;`,
    'limit_req_status 429;',
  ];
}

interface PartWay {
  plan: Plan;
  road: PlannedRoad;
  index: number;
}

/** What nginx is told for each kind of check. */
export const checkLines: CheckTable<PartWay> = {
  networks: ({ networks, except }, { plan }) => [
    ...except.map((address) => `deny ${address};`),
    ...networks.map((network) => `allow ${network};`),
    'deny all;',
    ...pageLine(plan, 'refused'),
  ],
  // A variable has led past the part whoever has one of its devices.
  devices: () => [],
  people: (_, { road, index }) => [
    `auth_basic "${namedText(road.name, road)}";`,
    `auth_basic_user_file $${variable(road.name, `people${String(index)}`)};`,
  ],
  asks: (check, { index }) => askLines(check, index),
};

function partLines(plan: Plan, road: PlannedRoad, { name, need, ...part }: GatePart, index: number): string[] {
  const checks = part.checks.filter(({ kind }) => kind !== 'devices');
  return [
    comment(`Gate: ${name}.`),
    ...(checks.length === 0 ? ['deny all;', ...pageLine(plan, 'refused')] : []),
    ...(checks.length > 1 && need === 'any' ? ['satisfy any;'] : []),
    ...checks.flatMap((check) => linesOf(checkLines, check, { plan, road, index })),
  ];
}

/** The same for a visitor who is in no network: something else alone may still let him in, where one is enough. */
function unknownLines(plan: Plan, road: PlannedRoad, part: GatePart, index: number): string[] {
  const others = part.checks.filter(({ kind }) => kind !== 'networks' && kind !== 'devices');
  if (others.length > 0 && part.need === 'any') return partLines(plan, road, { ...part, checks: others }, index);
  return [comment(`Gate: ${part.name}.`), 'deny all;', ...pageLine(plan, 'refused')];
}

function tryNext(next: string): string {
  return `try_files /dev/null/none ${next};`;
}
