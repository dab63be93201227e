import type { GatePart } from '../gates/check.ts';
import { withPort } from '../networks/address.ts';
import { without } from '../without.ts';
import { shownRules } from '../road-rules/road-rules.ts';
import { partName } from '../plan/parts.ts';
import type { Plan, PlannedLeads, PlannedRoad } from '../plan/plan.ts';

/** A setting in words; null where there is none. */
type Shown = string | null;

/** The front's settings by the names that they have on the map. */
const settings: Readonly<Record<string, (plan: Plan) => Shown>> = {
  domains: ({ domains }) => listOf(domains),
  'front.proxy': ({ front }) => front.proxy,
  'front.container': ({ front }) => front.container,
  'front.nodes': ({ front }) => (front.cluster === null ? null : listOf(front.cluster.nodes)),
  'front.address': ({ front }) => listOf([...front.names, ...front.addresses]),
  'front.home': ({ front }) => listOf(front.home),
  'front.ports': ({ front: { ports } }) => `${String(ports.http)} and ${String(ports.https)}`,
  'front.listen': ({ front: { listen } }) => `${String(listen.http)} and ${String(listen.https)}`,
  'front.mark': ({ front: { mark } }) => withPort(mark.address, mark.port),
  'front.unknown': ({ front: { unknown } }) => (typeof unknown === 'string' ? unknown : JSON.stringify(unknown)),
  'front.edge': ({ front: { edge } }) => (edge === null ? null : listOf(edge.networks)),
};

/**
 * What another plan changes, a line each, in the words of the map. What is the same in all of it gives no answer.
 *
 * @param before null where nothing was written yet
 */
export function planChanges(before: Plan | null, after: Plan): string[] {
  const ofFront = before === null ? [] : changed(settings, before, after);
  return [
    ...ofFront,
    ...roadChanges(before?.roads ?? [], after.roads),
    ...keyed(
      'port ',
      before?.ports ?? [],
      after.ports,
      ({ name }) => name,
      (port) => without(port, 'where', 'resolution'),
    ),
    ...keyed(
      'certificate ',
      before?.certificates ?? [],
      after.certificates,
      ({ id }) => id,
      ({ names, from, key, challenge }) => ({ names, from, key, challenge }),
    ),
    ...keyed(
      'page ',
      Object.entries(before?.pages ?? {}),
      Object.entries(after.pages),
      ([kind]) => kind,
      ([, text]) => text,
    ),
  ];
}

function roadChanges(before: readonly PlannedRoad[], after: readonly PlannedRoad[]): string[] {
  const old = new Map(before.map((road) => [road.name, road]));
  const now = new Set(after.map(({ name }) => name));
  const gone = before.filter(({ name }) => !now.has(name)).map(({ display }) => `${display}: removed`);
  return [
    ...gone,
    ...after.flatMap((road) => {
      const earlier = old.get(road.name);
      if (earlier !== undefined) return changesOf(earlier, road).map((words) => `${road.display}: ${words}`);
      const [main] = road.parts.slice(-1);
      return [
        `${road.display}: new, ${main === undefined ? '' : `leads to ${leadsWords(main.leads)}, `}gate ${road.gate.name}`,
      ];
    }),
  ];
}

function changesOf(before: PlannedRoad, after: PlannedRoad): string[] {
  const own: Readonly<Record<string, (road: PlannedRoad) => Shown>> = {
    paused: ({ paused }) => (paused ? 'true' : null),
    gate: ({ gate }) => gate.name,
    certificate: ({ certificate }) => certificate,
  };
  const gates = before.gate.name === after.gate.name ? gateChanges(before.gate.parts, after.gate.parts) : [];
  return [
    ...changed(own, before, after),
    ...gates,
    ...changedShown(shownRules(before.rules), shownRules(after.rules)),
    ...leadChanges(before, after),
  ];
}

/** The gate has the same name, and lets others in. */
function gateChanges(before: readonly GatePart[], after: readonly GatePart[]): string[] {
  const shown = (parts: readonly GatePart[]): string => JSON.stringify(parts.map((part) => without(part, 'where')));
  return shown(before) === shown(after) ? [] : [`gate ${after.map(({ name }) => name).join(', ')}: its rules changed`];
}

function leadChanges(before: PlannedRoad, after: PlannedRoad): string[] {
  const old = new Map(before.parts.map((part) => [part.prefix, part]));
  const now = new Set(after.parts.map(({ prefix }) => prefix));
  const at = (prefix: string): string => (prefix === '/' ? '' : `${partName('', prefix)}: `);
  return [
    ...before.parts.filter(({ prefix }) => !now.has(prefix)).map(({ prefix }) => `${prefix}: removed`),
    ...after.parts.flatMap(({ prefix, leads }) => {
      const earlier = old.get(prefix);
      if (earlier === undefined) return [`${prefix}: new, leads to ${leadsWords(leads)}`];
      const [from, to] = [leadsWords(earlier.leads), leadsWords(leads)];
      if (from !== to) return [`${at(prefix)}leads to ${to} (was ${from})`];
      return textOf(earlier.leads) === textOf(leads) ? [] : [`${at(prefix)}how it asks its service changed`];
    }),
  ];
}

function leadsWords(leads: PlannedLeads): string {
  if (leads.kind === 'redirect') return leads.url;
  if (leads.kind === 'folder') return leads.path;
  const { upstream } = leads;
  if (upstream === null) return 'nowhere';
  const at = withPort(upstream.host, upstream.port);
  return upstream.service === null ? at : `${upstream.service} (${at})`;
}

/** Of a service all but the words that say where it was found. */
function textOf(leads: PlannedLeads): string {
  return JSON.stringify(leads, (key, value: unknown) => (key === 'why' ? undefined : value));
}

function changed<Of>(table: Readonly<Record<string, (of: Of) => Shown>>, before: Of, after: Of): string[] {
  const of = (one: Of): Array<[string, Shown]> => Object.entries(table).map(([key, shown]) => [key, shown(one)]);
  return changedShown(of(before), of(after));
}

/** The same settings before and after, in one order. */
function changedShown(before: ReadonlyArray<[string, Shown]>, after: ReadonlyArray<[string, Shown]>): string[] {
  return after.flatMap(([key, to], index) => {
    const from = before[index]?.[1] ?? null;
    if (from === to) return [];
    if (from === null) return [`${key} ${to ?? ''} added`];
    return to === null ? [`${key} ${from} removed`] : [`${key} ${to} (was ${from})`];
  });
}

function keyed<One>(
  what: string,
  before: readonly One[],
  after: readonly One[],
  key: (one: One) => string,
  shown: (one: One) => unknown,
): string[] {
  const old = new Map(before.map((one) => [key(one), JSON.stringify(shown(one))]));
  const now = new Set(after.map(key));
  return [
    ...[...old.keys()].filter((name) => !now.has(name)).map((name) => `${what}${name}: removed`),
    ...after.flatMap((one) => {
      const earlier = old.get(key(one));
      if (earlier === undefined) return [`${what}${key(one)}: new`];
      return earlier === JSON.stringify(shown(one)) ? [] : [`${what}${key(one)}: changed`];
    }),
  ];
}

function listOf(values: readonly string[]): Shown {
  return values.length === 0 ? null : values.join(', ');
}
