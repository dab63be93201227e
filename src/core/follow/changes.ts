import { isRunning, titleOf, type Service } from '../inventory/inventory.ts';
import { withPort } from '../networks/address.ts';
import { partName } from '../plan/parts.ts';
import type { Plan, PlannedPart, PlannedRoad } from '../plan/plan.ts';
import { whyNot } from '../plan/why-not.ts';

/**
 * What became of one road, or of one part of it, since the plan before.
 *
 * @property to where it leads now, in words
 * @property from where it led before, in words
 * @property why it leads nowhere, so that visitors get 502
 */
export type RoadChange = { road: string } & (
  | { kind: 'new'; to: string; fromLabel: string | null }
  | { kind: 'gone' }
  | { kind: 'moved'; from: string; to: string }
  | { kind: 'lost'; why: string }
  | { kind: 'found'; to: string }
  | { kind: 'stopped' | 'started'; service: string }
  | { kind: 'changed' }
);

/** What a plan with all that was found for it does otherwise than the one before. @param labels services by the roads that their labels made */
export function changesBetween(
  before: Plan,
  after: Plan,
  labels: ReadonlyMap<string, string> = new Map(),
): RoadChange[] {
  const old = new Map(before.roads.map((road) => [road.name, road]));
  const there = new Set(after.roads.map(({ name }) => name));
  const gone = before.roads.flatMap(({ name: road }): RoadChange[] =>
    there.has(road) ? [] : [{ road, kind: 'gone' }],
  );
  return [
    ...gone,
    ...after.roads.flatMap((road): RoadChange[] => {
      const earlier = old.get(road.name);
      if (earlier !== undefined) return changesOfRoad(earlier, road);
      const to = whereTo(road.parts.at(-1));
      return [{ road: road.name, kind: 'new', to: inWords(to), fromLabel: labels.get(road.name) ?? null }];
    }),
  ];
}

function changesOfRoad(before: PlannedRoad, after: PlannedRoad): RoadChange[] {
  if (rulesText(before) !== rulesText(after)) return [{ road: after.name, kind: 'changed' }];
  return after.parts.flatMap((part, index): RoadChange[] => {
    const road = partName(after.name, part.prefix);
    const earlier = before.parts[index];
    const [from, to] = [whereTo(earlier), whereTo(part)];
    if (inWords(from) !== inWords(to)) return [{ road, ...moved(from, to) }];
    if (proofText(earlier) !== proofText(part)) return [{ road, kind: 'changed' }];
    const [was, is] = [serviceOf(earlier), serviceOf(part)];
    if (was === null || is === null || isRunning(was) === isRunning(is)) return [];
    return [{ road, kind: isRunning(is) ? 'started' : 'stopped', service: titleOf(is) }];
  });
}

/** All of a road but where its parts are dialled, and what is for people. */
function rulesText({ parts, ...road }: PlannedRoad): string {
  const rest = parts.map(({ prefix, leads }) => [prefix, leads.kind === 'service' ? null : leads]);
  return JSON.stringify([road, rest], (key, value: unknown) =>
    key === 'lines' || key === 'where' ? undefined : value,
  );
}

/** What proves who the service is, and what it is told. */
function proofText(part: PlannedPart | undefined): string {
  const upstream = part?.leads.kind === 'service' ? part.leads.upstream : null;
  return JSON.stringify([upstream?.scheme, upstream?.trust, upstream?.sayHost, upstream?.verifyAs]);
}

function serviceOf(part: PlannedPart | undefined): Service | null {
  return part?.resolution?.service ?? null;
}

/** Where a part leads, or why nowhere. */
type Where = { to: string } | { why: string };

function inWords(where: Where): string {
  return 'to' in where ? where.to : `nowhere: ${where.why}`;
}

function moved(
  from: Where,
  to: Where,
): { kind: 'moved'; from: string; to: string } | { kind: 'lost'; why: string } | { kind: 'found'; to: string } {
  if ('why' in to) return { kind: 'lost', why: to.why };
  return 'why' in from ? { kind: 'found', to: to.to } : { kind: 'moved', from: from.to, to: to.to };
}

function whereTo(part: PlannedPart | undefined): Where {
  if (part === undefined) return { why: 'it has no such part' };
  const { leads, resolution } = part;
  switch (leads.kind) {
    case 'redirect':
      return { to: leads.url };
    case 'folder':
      return { to: leads.path };
    case 'service': {
      if (leads.upstream === null) return { why: whyNowhere(resolution) };
      const { service, host, port, others = [] } = leads.upstream;
      const more = others.length === 0 ? '' : ` and ${String(others.length)} more`;
      const at = `${withPort(host, port)}${more}`;
      return { to: service === null ? at : `${service} at ${at}` };
    }
  }
}

function whyNowhere(resolution: PlannedPart['resolution']): string {
  if (resolution === null) return 'its service is not found';
  const { service } = resolution;
  if (service !== null && !isRunning(service)) return `${titleOf(service)} does not run`;
  return whyNot(resolution) ?? 'its service is not found';
}
