import { isLoopback } from '../../core/networks/address.ts';
import type { FrontLog } from '../../adapters/files/front-log.ts';
import type { Login } from '../../adapters/files/read-login.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { HeldCertificate } from '../../core/certificates/cover.ts';
import type { Evidence } from '../../core/findings/finding.ts';
import type { DirectEvidence } from '../../core/legs/service/direct.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import type { RunningEvidence } from '../../core/legs/way/running.ts';
import type { Plan, PlannedPart, PlannedPort, PlannedRoad } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import type { Prepared } from '../../core/verdict/verdict.ts';
import type { FrontView } from './asking/front-view.ts';
import type { Limiter } from './asking/limiter.ts';
import type { DevicesShown } from './asking/devices.ts';
import type { Prober } from './asking/prober.ts';

/** What testing needs to know, whichever roads are tested. */
export interface TestInput {
  plan: Plan;
  roads: readonly PlannedRoad[];
  ports: readonly PlannedPort[];
  /** Test this address instead of what DNS says. */
  at: { address: string; httpPort: number; httpsPort: number } | null;
  prober: Prober;
  /** What is shown to names that ask for a device. */
  devices: DevicesShown;
  /** Asks the servers of the zones about names, beside the addresses of the front; null when they are not to be asked. */
  zones: ((names: readonly string[], expected: readonly string[]) => Promise<ReadonlyMap<string, LegResult>>) | null;
  /** The records that must stand at a name, in words. */
  wanted: (name: string) => string[];
  /** Whether the name source is one that may rightly lead to the addresses of home: asked from home, and not a public one. */
  homeNames: boolean;
  /** Whether this machine is in a network of the front itself. */
  fromHome: boolean;
  /** Whether this machine has an address of the front, or its mark: then its services are dialled from here. */
  isFrontsMachine: boolean;
  /** Addresses of this machine that may be asked from. */
  here: readonly string[];
  /** What lies here, by the id of the planned certificate. */
  held: ReadonlyMap<string, HeldCertificate | null>;
  /** Who may be tried at gates with people; null for nobody. */
  login: Login | null;
  /** What the front writes down while it is tested. */
  frontLog: FrontLog;
  /** What the front of this machine says of itself; null when nothing does. */
  running: RunningEvidence | null;
  /** What remedies say of the map's own proxy and this machine. */
  words: Evidence;
  /** For what is asked directly, past the front. */
  limits: Limits;
  now: number;
}

/** What stands from the first question on. @property addresses the public ones of the front, or what --at says */
export interface Run {
  input: TestInput;
  addresses: readonly string[];
  prepared: Prepared;
  limiter: Limiter;
}

/**
 * What all roads share once the front and the services were asked.
 *
 * @property directs what every service answers when asked directly, by the part of the road that leads to it
 * @property shownToAll fingerprint of what those see who name nothing, by address
 * @property own an address of this machine at which its front answers itself, past all that is in front of it; null when none does
 * @property ours addresses that are proven to be the front's own, so that more than a visitor's questions may be asked there
 */
export interface Shared extends Run {
  front: FrontView;
  directs: ReadonlyMap<PlannedPart, DirectEvidence>;
  shownToAll: ReadonlyMap<string, string>;
  ours: readonly string[];
  own: string | null;
}

/** Where this machine itself reaches the service of a part; null when it cannot. */
export function fromHost({ resolution }: PlannedPart): At | null {
  return resolution?.kind === 'dialled' ? resolution.fromHost : null;
}

/** Whether the front is proven to be ours and looked at by ourselves, so that more than a visitor's questions may be asked. */
export function mayTryMore({ input: { prober, plan }, ours }: Pick<Shared, 'input' | 'ours'>): boolean {
  return prober.isLive && plan.front.edge === null && ours.length > 0;
}

/**
 * This machine's own address, where the front runs here and what is sent to the public address leaves the machine and is led back by the
 * router (hairpin); null otherwise. With an edge it would come back through the edge.
 */
export function throughRouter({
  input: { running, here, plan },
  front,
}: Pick<Shared, 'input' | 'front'>): string | null {
  const connection = front.connection();
  if (running?.isOurs !== true || connection === null || plan.front.edge !== null) return null;
  return here.includes(connection.to) || isLoopback(connection.to) ? null : connection.from;
}

/** Whether this is the machine on which the front runs. */
export function isFrontsMachine({
  input: { isFrontsMachine: isKnown, here },
  front,
}: Pick<Shared, 'input' | 'front'>): boolean {
  return isKnown || here.includes(front.connection()?.to ?? '');
}
