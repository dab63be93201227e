import { renewAt } from '../certificates/renewal.ts';
import type { HeldCertificate } from '../certificates/cover.ts';
import type { Finding, LegName } from '../findings/finding.ts';
import { indexed } from '../indexed.ts';
import type { NewestRun, VerifyEntry } from '../legs/journal.ts';
import type { Outcome } from '../legs/leg.ts';
import { phoneLinks, type PhoneLink } from '../legs/links.ts';
import type { Plan } from '../plan/plan.ts';
import { prepare } from '../verdict/decide.ts';
import { exposedPorts, exposure, viewpoints, type Access, type Viewpoint } from '../verdict/exposure.ts';
import { changesOver, stripsOf, timesOf, type Change, type Strip, type Times } from './history.ts';
import { stateOf, type RoadState } from './state.ts';
import { treeOf, type Tree } from './tree.ts';

/** What a report is made from. @property people who stands in each password file, by its path @property now milliseconds since the epoch */
interface ReportInput {
  plan: Plan;
  newest: NewestRun | null;
  entries: readonly VerifyEntry[];
  /** What `check` says. */
  findings: readonly Finding[];
  certificates: ReadonlyMap<string, HeldCertificate | null>;
  people: ReadonlyMap<string, readonly string[]>;
  now: number;
}

/** A road or a raw port, as the newest run saw it. @property legs null when that run has none of it */
export interface ReportedRoad {
  name: string;
  display: string;
  url: string | null;
  state: RoadState;
  legs: Array<{ leg: LegName; outcome: Outcome; says: string }> | null;
}

/** A line of the matrix: a road, a path that its gate excepts, or a raw port. */
interface ReachRow {
  label: string;
  cells: Access[];
}

/** Times in milliseconds since the epoch. @property life null when none is stored */
export interface ReportedCertificate {
  id: string;
  names: string[];
  life: { from: number; renew: number; to: number } | null;
}

/** All that a report shows. Of runs it has what the journal has, and nothing else. */
export interface Report {
  title: string;
  now: number;
  newest: NewestRun | null;
  tree: Tree;
  roads: ReportedRoad[];
  check: readonly Finding[];
  from: Viewpoint[];
  reach: ReachRow[];
  certificates: ReportedCertificate[];
  strips: Strip[];
  times: Times[];
  changes: Change[];
  links: PhoneLink[];
}

/** So many runs at which something changed are listed. */
const mostChanges = 20;

export function makeReport(input: ReportInput): Report {
  const { plan, newest, entries, findings, certificates, people, now } = input;
  const roads = roadsOf(plan, newest);
  const states = roadStatesOf(plan, newest);
  const names = roads.map(({ name }) => name);
  const prepared = prepare(plan);
  const from = viewpoints(plan, people);
  const display = (name: string): string => indexed(plan.roads, 'name').get(name)?.display ?? name;
  return {
    title: plan.domains[0] ?? '',
    now,
    newest,
    tree: treeOf(plan, (name) => states.get(name) ?? 'unknown'),
    roads,
    check: findings,
    from,
    reach: [
      ...exposure(prepared, from).map(({ road, target, cells }) => ({
        label: target === '/' ? display(road) : `${display(road)}${target}`,
        cells,
      })),
      ...exposedPorts(plan, from).map(({ port, cells }) => ({ label: port, cells })),
    ],
    certificates: plan.certificates.map(({ id, names: covered }) => {
      const held = certificates.get(id) ?? null;
      const life = held === null ? null : { from: held.notBefore, renew: renewAt(held), to: held.notAfter };
      return { id, names: covered, life };
    }),
    strips: stripsOf(entries, names),
    times: timesOf(entries, names),
    changes: changesOver(entries, mostChanges),
    links: phoneLinks(prepared, plan.roads, new Map(), []),
  };
}

/** The state of every road and raw port, by its name on the map. */
export function roadStatesOf(plan: Plan, newest: NewestRun | null): Map<string, RoadState> {
  return new Map(roadsOf(plan, newest).map(({ name, state }) => [name, state]));
}

function roadsOf(plan: Plan, newest: NewestRun | null): ReportedRoad[] {
  const seen = new Map((newest?.roads ?? []).map(({ road, legs }) => [road, legs]));
  const legsOf = (name: string): ReportedRoad['legs'] => seen.get(name) ?? null;
  return [
    ...plan.roads.map(({ name, display, authority, paused }) => {
      const legs = legsOf(name);
      return { name, display, url: `https://${authority}/`, state: stateOf(legs, { paused }), legs };
    }),
    ...plan.ports.map(({ name }) => {
      const legs = legsOf(name);
      return { name, display: name, url: null, state: stateOf(legs, { paused: false }), legs };
    }),
  ];
}
