import { isBehindGate } from '../../core/legs/access.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import type { DirectEvidence } from '../../core/legs/direct.ts';
import { ok, skipped, type LegResult, type Problem } from '../../core/legs/leg.ts';
import { hstsProblem } from '../../core/legs/redirect.ts';
import { judgeFolder, judgePaused, judgeRoadRedirect, judgeService } from '../../core/legs/service.ts';
import { isPrivate } from '../../core/networks/address.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';
import type { Prepared } from '../../core/verdict/verdict.ts';
import type { DriveInput } from './drive.ts';
import { basic, driveAccess } from './test-access.ts';
import { driveRedirect } from './test-redirect.ts';
import { driveWebsocket } from './test-websocket.ts';
import type { FrontView } from './front-view.ts';
import { lookedAt } from './looked-at.ts';
import type { Places } from './limiter.ts';
import { probeTarget } from './questions.ts';

/** What the legs at every address of the front share, and what they learn. */
export interface Common {
  input: DriveInput;
  prepared: Prepared;
  places: Places;
  /** What every service answers when asked directly, by the name of its road. */
  directs: Map<string, DirectEvidence>;
  /** Whether the one wrong password of a run is spent. */
  hasGuessed: boolean;
  /** The address that the front's log has for this machine. */
  seenAs: string | null;
}

/** How the legs behind the handshake came out, and what there is to say of HSTS. */
export interface BehindTls {
  access: LegResult;
  service: LegResult;
  websocket: LegResult;
  hsts: Problem[];
}

/**
 * One address of the front.
 *
 * @property isSound nothing is wrong with its handshake. Where something is, it may be somebody else: no password goes there, and nothing is
 *   tried on them
 */
export interface Door {
  front: FrontView;
  isSound: boolean;
}

/** Drives what lies behind the handshake, as a visitor of one address of the front meets it. */
export async function driveBehindTls(common: Common, road: PlannedRoad, door: Door): Promise<BehindTls> {
  const { places } = common;
  const { front } = door;
  const login = credentials(common, road, door);
  const access = await places(() => accessLeg(common, road, door));
  const answer = await places(() => front.ask('https', road.name, lookedAt(road).target, login));
  const hsts = road.paused ? [] : hstsProblem(road, answer.ok ? answer.value : null);
  if (isBehindGate(access, Object.keys(login).length > 0)) {
    const behind = (leg: 'service' | 'websocket'): LegResult => skipped(leg, 'behind its gate');
    return { access, service: behind('service'), websocket: behind('websocket'), hsts };
  }
  const [service, websocket] = await Promise.all([
    serviceLeg(common, road, door, answer),
    places(() => websocketLeg(common, road, door)),
  ]);
  return { access, service, websocket, hsts };
}

/** The test login, for a road that asks people. */
export function credentials(
  { input: { login } }: Common,
  { gate }: PlannedRoad,
  { isSound }: Pick<Door, 'isSound'>,
): Record<string, string> {
  return login !== null && isSound && gate.parts.some(({ people }) => people !== null) ? basic(login) : {};
}

/** Drives plain HTTP at one address of the front. */
export async function redirectLeg(
  { input, prepared }: Common,
  road: PlannedRoad,
  front: FrontView,
): Promise<LegResult> {
  if (road.rules.plain) return ok('redirect', 'plain, as the map says');
  return driveRedirect({
    prepared,
    road,
    target: probeTarget,
    authority: front.authority('http', road.name),
    port: front.port('http'),
    isAtFront: (url, scheme) => isOfMap(prepared, url, input.plan.front.ports[scheme]) && front.open(scheme).length > 0,
    ask: (scheme, host, to, headers) => front.ask(scheme, host, to, headers),
  });
}

function isOfMap({ roadOf }: Prepared, url: URL, outside: number): boolean {
  const port = url.port === '' ? (url.protocol === 'https:' ? 443 : 80) : Number(url.port);
  return roadOf(url.hostname) !== null && port === outside;
}

/** What this machine may do at the gate of a road; the one wrong password of a run is spent at the first that asks. */
async function accessLeg(common: Common, road: PlannedRoad, { front, isSound }: Door): Promise<LegResult> {
  if (road.gate.parts.length === 0 || road.paused) return skipped('access', 'no gate');
  const { from, to } = front.connection() ?? { from: '', to: '' };
  const { target } = lookedAt(road);
  const { sight, frontLog, fromHome, login } = common.input;
  const signed: Record<string, string> = sight.isLive ? { referer: `https://${road.authority}/?${frontLog.sign}` } : {};
  return driveAccess({
    prepared: common.prepared,
    road,
    target,
    from,
    seen: async () => {
      const seen = await frontLog.addressSeen(road);
      common.seenAs ??= seen;
      return seen;
    },
    // On the way to an address inside nobody has to translate ours.
    isSeenAs: fromHome || !isPrivate(from) || isPrivate(to),
    own: common.directs.get(road.name) ?? null,
    login: isSound ? login : null,
    mayForge: isSound,
    takeGuess: () => {
      if (common.hasGuessed || !sight.isLive || !isSound) return false;
      common.hasGuessed = true;
      return true;
    },
    ask: (headers) => front.ask('https', road.name, target, { ...headers, ...signed }),
  });
}

function websocketLeg(common: Common, road: PlannedRoad, door: Door): Promise<LegResult> {
  const { leads, stretch } = lookedAt(road);
  const { sight, limits, plan, fromHost } = common.input;
  const at = fromHost.get(stretch) ?? null;
  const path = road.rules.expect?.path ?? '/';
  const question = door.front.question('https', road.name, path, credentials(common, road, door));
  return driveWebsocket({ road, leads, front: question, sight, at, ports: plan.front.ports, limits });
}

async function serviceLeg(common: Common, road: PlannedRoad, door: Door, front: Attempt<Answer>): Promise<LegResult> {
  const { leads } = lookedAt(road);
  const { input, directs, places } = common;
  if (!front.ok && front.failure.kind === 'unreachable') return skipped('service', 'not seen');
  if (road.paused) return judgePaused({ front });
  if (leads.kind === 'redirect') {
    // The probe is in no normal form, so that it lies in no part of the road but in the road itself.
    const to = road.leads.kind === 'redirect' ? road.leads : null;
    if (to === null) return skipped('service', 'leads elsewhere');
    const sent = await places(() => door.front.ask('https', road.name, probeTarget, credentials(common, road, door)));
    return judgeRoadRedirect({ road, front: sent, expected: `${to.url}${probeTarget}` });
  }
  if (leads.kind === 'folder') return judgeFolder({ road, front });
  const own = directs.get(road.name);
  if (own === undefined) return skipped('service', 'not known');
  const isFailed = !front.ok || front.value.status >= 400;
  const log = isFailed ? await input.frontLog.lastError(road) : null;
  return judgeService({ road, front, own, directs: [...directs.values()], log });
}
