import { asksFor } from '../gates/check.ts';
import { dialledParts } from '../plan/parts.ts';
import type { Plan, PlannedRoad } from '../plan/plan.ts';
import { differences, type DifferenceId } from './differences.ts';
import type { ProxyName } from './names.ts';
import { programOf } from './programs.ts';
import { manyRoads } from './road-file.ts';

/** One thing that is otherwise on the other proxy. @property what it is about @property before and after: what each does */
interface Moved {
  id: DifferenceId;
  what: string;
  before: string;
  after: string;
}

/** @property noticed what visitors, services or the administrator of this map can meet @property odd how many more there are for requests that no browser sends */
export interface Moving {
  from: ProxyName;
  to: ProxyName;
  noticed: Moved[];
  odd: number;
}

/** What changes when a map moves from one proxy to another, by their declared differences. */
export function movingBetween(from: ProxyName, to: ProxyName, plan: Plan): Moving {
  const [before, after] = [programOf(from).differs, programOf(to).differs];
  const ids = Object.keys(differences) as DifferenceId[];
  const differing =
    before === null || after === null
      ? []
      : ids.flatMap((id): Moved[] =>
          before[id] === after[id] ? [] : [{ id, what: differences[id], before: before[id], after: after[id] }],
        );
  const noticed = differing.filter(({ id }) => concerns[id]?.(plan) === true);
  return { from, to, noticed, odd: differing.filter(({ id }) => concerns[id] === undefined).length };
}

/** Which maps a difference is noticed on; one that does not stand here is about requests and services that are odd themselves. */
const concerns: Partial<Record<DifferenceId, (plan: Plan) => boolean>> = {
  folders: some(({ parts }) => parts.some(({ leads }) => leads.kind === 'folder')),
  'raw-ports': ({ ports }) => ports.length > 0,
  strangers: () => true,
  'unannounced-body': some(({ rules }) => rules.bodyLimitBytes !== null),
  rate: some(({ rules }) => rules.rate !== null),
  logs: some(({ rules }) => typeof rules.log === 'string'),
  readers: hasServices,
  'silent-answer': hasServices,
  'early-hints': hasServices,
  names: hasNamed,
  'kept-by-name': hasNamed,
  'address-in-certificate': (plan) =>
    dialledParts(plan.roads).some(
      ({ upstream: { scheme, verifyAs } }) => scheme === 'https' && /^[\d.]+$|:/.test(verifyAs ?? ''),
    ),
  pin: (plan) => dialledParts(plan.roads).some(({ upstream }) => upstream.trust.kind === 'pin'),
  proofs: (plan) => dialledParts(plan.roads).some(({ upstream }) => upstream.trust.kind === 'ca'),
  server: () => true,
  hashes: asksPeople,
  passwords: asksPeople,
  people: asksPeople,
  devices: some(({ gate }) => asksFor(gate, 'devices')),
  'device-connection': some(({ gate }) => asksFor(gate, 'devices')),
  'slow-word': some(({ gate }) => asksFor(gate, 'asks')),
  'many-roads': ({ roads }) => roads.length > manyRoads,
  'own-redirects': some(({ parts }) =>
    parts.some(({ leads }) => leads.kind === 'redirect' && leads.url.startsWith('/')),
  ),
};

function some(has: (road: PlannedRoad) => boolean): (plan: Plan) => boolean {
  return ({ roads }) => roads.some(has);
}

function hasServices({ roads }: Plan): boolean {
  return dialledParts(roads).length > 0;
}

function hasNamed({ roads }: Plan): boolean {
  return dialledParts(roads).some(({ upstream }) => upstream.byName);
}

function asksPeople({ roads }: Plan): boolean {
  return roads.some(({ gate }) => asksFor(gate, 'people'));
}
