import {
  isRunning,
  titleOf,
  type Container,
  type ContainerState,
  type Inventory,
  type ListeningSocket,
  type Service,
} from '../inventory/inventory.ts';
import { reachableInside } from '../inventory/listening.ts';
import { ownerWords } from '../inventory/ledger.ts';
import { notForTheWebBy } from '../inventory/web-ports.ts';
import type { Leads, RawLeads, SiteMap } from '../map/site-map.ts';
import { withPort } from '../networks/address.ts';
import type { Plan } from '../plan/plan.ts';
import { whyNot } from '../plan/why-not.ts';
import { leadsOnMap } from '../rules/on-roads.ts';
import type { Resolution } from '../plan/resolve-service.ts';

/**
 * One service as the survey shows it.
 *
 * @property state of its container; `none` when it has none, null when no engine was asked
 * @property inNoFile it runs, and no Compose file of the map declares it
 * @property listens each port inside, and where on this machine it is published
 * @property roads full names of the roads that lead to it
 * @property apart why no road is offered for it, or null
 */
export interface SurveyedService {
  title: string;
  name: string;
  image: string | null;
  state: ContainerState | 'none' | null;
  health: Container['health'];
  exitCode: number | null;
  profiles: string[];
  declared: boolean;
  inNoFile: boolean;
  running: boolean;
  listens: SurveyedPort[];
  roads: string[];
  apart: string | null;
}

/**
 * @property inside port in the container; null when it shares this machine's network and says no port
 * @property published address and port of this machine, `address: null` for every address, `port: null` for one that changes; null when it is not
 *   published
 * @property isSeen a program really listens there; null when that cannot be seen
 */
interface SurveyedPort {
  inside: number | null;
  protocol: 'tcp' | 'udp';
  published: { address: string | null; port: number | null } | null;
  isOnHost: boolean;
  isSeen: boolean | null;
}

export interface Survey {
  /** This host's first, then each machine's. */
  projects: Array<{ machine: string | null; project: string | null; services: SurveyedService[] }>;
  /** Roads and raw ports that lead to a port of this machine itself, and which program listens there; null when none does. */
  hostPorts: Array<{ road: string; port: number; owner: string | null; owners: ListeningSocket['owners'] }>;
  /** Roads and raw ports at whose end nobody can be found, with the reason. */
  nowhere: Array<{ road: string; to: string; why: string }>;
}

interface SurveyInput {
  /** Null when there is no map yet. */
  site: { map: SiteMap; plan: Plan } | null;
  inventory: Inventory;
  /** The service that is the front itself. */
  front: Service | null;
  sockets: readonly ListeningSocket[];
}

/** What runs and where it listens, which roads lead to it, and which roads lead nowhere; grouped by project. */
export function makeSurvey({ site, inventory, front, sockets }: SurveyInput): Survey {
  const projects = new Map<string, Survey['projects'][number]>();
  const leading = site === null ? [] : leadsOnMap(site);
  const hasFiles = site !== null && site.map.compose.length > 0;
  for (const service of inventory.services) {
    const roads = leading.flatMap(({ title, resolution }) => (resolution?.service === service ? [title] : []));
    const { machine, project } = service;
    const isHere = machine === null;
    const shown = surveyed(service, { roads, asked: isHere ? inventory.asked : true, hasFiles: isHere && hasFiles });
    if (service === front) shown.apart = 'it is the front itself';
    const key = JSON.stringify([machine, project]);
    const group = projects.get(key);
    if (group === undefined) projects.set(key, { machine, project, services: [shown] });
    else group.services.push(shown);
  }
  const hostPorts = leading.flatMap(({ title: road, leads, protocol }) => {
    if (leads.kind !== 'port') return [];
    const holder = sockets.find((one) => one.protocol === protocol && one.port === leads.port);
    const owners = holder?.owners ?? [];
    return [{ road, port: leads.port, owner: holder === undefined ? null : ownerWords(owners), owners }];
  });
  const nowhere = leading.flatMap(({ title: road, leads, resolution }) => {
    const silent = hostPorts.some((one) => one.road === road && one.owner === null);
    const why = silent
      ? 'nothing listens on that port of this machine'
      : resolution === null
        ? null
        : whyNobody(resolution, inventory);
    return why === null ? [] : [{ road, to: toText(leads), why }];
  });
  for (const { services } of projects.values()) services.sort((a, b) => (a.name < b.name ? -1 : 1));
  return {
    projects: [...projects.values()].sort(
      (a, b) => compare(a.machine, b.machine) || rank(a.project) - rank(b.project) || compare(a.project, b.project),
    ),
    hostPorts,
    nowhere,
  };
}

function whyNobody(found: Resolution, { asked }: Inventory): string | null {
  const { service } = found;
  if (found.kind !== 'dialled') return whyNot(found);
  if (service === null || !asked || isRunning(service)) return null;
  const shown = surveyed(service, { roads: [], asked, hasFiles: false });
  return `${titleOf(service)}: ${stateWords(shown)}`;
}

/** What belongs to no project comes last. */
function rank(project: string | null): number {
  return project === null ? 1 : 0;
}

function compare(a: string | null, b: string | null): number {
  return a === b ? 0 : (a ?? '') < (b ?? '') ? -1 : 1;
}

interface Context {
  roads: string[];
  asked: boolean;
  hasFiles: boolean;
}

function surveyed(service: Service, { roads, asked, hasFiles }: Context): SurveyedService {
  const { name, image, declared, profiles } = service;
  const first = firstOf(service);
  return {
    title: titleOf(service),
    name,
    image,
    state: first?.state ?? (asked ? 'none' : null),
    health: first?.health ?? null,
    exitCode: first?.state === 'exited' ? first.exitCode : null,
    profiles,
    declared: declared !== null,
    inNoFile: declared === null && hasFiles,
    running: isRunning(service),
    listens: listensOf(service),
    roads,
    apart: notForTheWebBy(service),
  };
}

/** The container that stands for a service: one that runs, else the first. */
function firstOf({ containers }: Service): Container | undefined {
  return containers.find(({ state }) => state === 'running') ?? containers[0];
}

/** For people. */
export function stateWords({
  state,
  health,
  exitCode,
  profiles,
}: Pick<SurveyedService, 'state' | 'health' | 'exitCode' | 'profiles'>): string {
  switch (state) {
    case null:
      return 'declared';
    case 'none':
      return profiles.length > 0 ? `declared, profile ${profiles.join(', ')}` : 'declared, not running';
    case 'running':
      return health === 'unhealthy' || health === 'starting' ? `running, ${health}` : 'running';
    case 'exited':
      return `ended with code ${String(exitCode)}`;
    case 'restarting':
      return 'restarting again and again';
    case 'paused':
      return 'frozen';
    case 'created':
      return 'created, never started';
    case 'dead':
    case 'removing':
      return state;
  }
}

function listensOf(service: Service): SurveyedPort[] {
  const { published, exposed, networkMode } = service;
  const real = reachableInside(service);
  const port = (inside: number | null, more: Partial<SurveyedPort> = {}): SurveyedPort => {
    const isSeen = real === null || inside === null ? null : real.includes(inside);
    return { inside, protocol: 'tcp', published: null, isOnHost: false, isSeen, ...more };
  };
  if (networkMode === 'host')
    return (exposed.length > 0 ? exposed : [null]).map((one) => port(one, { isOnHost: true }));
  const outside = published.map(({ containerPort, protocol, hostAddress: address, hostPort }) =>
    port(containerPort, {
      protocol,
      published: { address, port: hostPort },
      ...(protocol === 'udp' ? { isSeen: null } : {}),
    }),
  );
  const inside = [...new Set([...exposed, ...(real ?? [])])].filter(
    (one) => !published.some(({ containerPort }) => containerPort === one),
  );
  return [...outside, ...inside.map((one) => port(one))];
}

function toText(leads: Leads | RawLeads): string {
  switch (leads.kind) {
    case 'service':
      return `${titleOf({ ...leads, name: leads.service })}:${String(leads.port)}`;
    case 'port':
      return `:${String(leads.port)}`;
    case 'endpoint':
      return withPort(leads.host, leads.port);
    case 'url':
      return `${leads.scheme}://${withPort(leads.host, leads.port)}`;
    case 'redirect':
      return leads.url;
    case 'folder':
      return leads.path;
  }
}
