import type { Login } from '../adapters/files/read-login.ts';
import type { FrontLog } from '../adapters/files/front-log.ts';
import type { Limits } from '../adapters/probe/connect.ts';
import type { HeldCertificate } from '../core/certificates/cover.ts';
import { type LegName } from '../core/findings/finding.ts';
import { isBehindGate } from '../core/legs/access.ts';
import type { Answer, Attempt } from '../core/legs/answer.ts';
import { harmlessForbidden, judgeBypass, type StrangerEvidence } from '../core/legs/bypass.ts';
import type { DirectEvidence } from '../core/legs/direct.ts';
import { judgeDns } from '../core/legs/dns.ts';
import { frontPastEdge, noHairpin, splitNaming } from '../core/legs/home.ts';
import { ok, skipped, type LegResult, type Problem } from '../core/legs/leg.ts';
import { judgePorts, type PortEvidence } from '../core/legs/port.ts';
import { hstsProblem, withHsts } from '../core/legs/redirect.ts';
import { judgeFolder, judgePaused, judgeRoadRedirect, judgeService } from '../core/legs/service.ts';
import type { Vantage } from '../core/legs/vantage.ts';
import type { RateEvidence, WayRound } from '../core/legs/ways-round.ts';
import { inNetworks, isPrivate } from '../core/networks/address.ts';
import { isWildcard, wildcardOver } from '../core/names/wildcard.ts';
import type { Plan, PlannedRoad } from '../core/plan/plan.ts';
import type { At } from '../core/plan/resolve-service.ts';
import { prepare } from '../core/verdict/decide.ts';
import type { Prepared } from '../core/verdict/verdict.ts';
import { askAsStranger } from './ask-as-stranger.ts';
import { basic, driveAccess } from './drive-access.ts';
import { driveDirect } from './drive-direct.ts';
import { driveRedirect } from './drive-redirect.ts';
import { driveTls } from './drive-tls.ts';
import { driveRate, driveWays } from './drive-ways.ts';
import { driveWebsocket } from './drive-websocket.ts';
import { FrontView } from './front-view.ts';
import { lookedAt } from './looked-at.ts';
import type { Places } from './places.ts';
import { probeTarget, strangeName } from './questions.ts';
import type { Sight } from './sight.ts';

/** What driving needs to know, whichever roads are driven. */
export interface DriveInput {
  plan: Plan;
  /** Where this host itself reaches the service of a road, by road name; null when it cannot. */
  fromHost: ReadonlyMap<string, At | null>;
  /** Drive this address instead of what DNS says; `null` ports are the front's own. */
  at: { address: string; httpPort: number; httpsPort: number } | null;
  sight: Sight;
  /** Whether the name source is one that may rightly lead to the addresses of home: asked from home, and not a public one. */
  homeNames: boolean;
  /** Whether this machine is in a network of the front itself. */
  fromHome: boolean;
  /** Addresses of this machine. */
  here: readonly string[];
  /** What lies here, by the id of the planned certificate. */
  held: ReadonlyMap<string, HeldCertificate | null>;
  /** Who may be tried at gates with people; null for nobody. */
  login: Login | null;
  /** What the front writes down while it is driven. */
  frontLog: FrontLog;
  /** For what is asked directly, past the front. */
  limits: Limits;
  now: number;
}

/** Drives the legs of one road after the other's, on what all of them share. */
export class Drive {
  private readonly prepared: Prepared;
  private readonly front: FrontView;
  /** What answers at the front's own addresses, when the edge in front of it is driven. */
  private past: PortEvidence[] = [];
  private directs = new Map<string, DirectEvidence>();
  private strangers: StrangerEvidence[] = [];
  private readonly shownToAll = new Map<string, string>();
  private readonly orders = new Map<string, Promise<boolean | null>>();
  /** Addresses that are proven to be the front's own, so that more than a visitor's questions may be asked there. */
  private ours: string[] = [];
  private hasGuessed = false;
  private seenAs: string | null = null;

  constructor(
    private readonly input: DriveInput,
    /** The public addresses of the front, or what --at says. */
    private readonly addresses: readonly string[],
    private readonly roads: readonly PlannedRoad[],
    private readonly places: Places,
  ) {
    this.prepared = prepare(input.plan);
    this.front = new FrontView({ ...input, addresses, roads, places });
  }

  /** What all roads share: the front's ports, and what every service answers when asked directly. */
  async prepare(): Promise<void> {
    const services = this.input.plan.roads.filter((road) => lookedAt(road).leads.kind === 'service');
    await Promise.all([
      this.front.prepare(),
      Promise.all(services.map((road) => this.places(() => this.direct(road)))),
    ]);
    const own = this.input.plan.front.addresses.filter((address) => !this.addresses.includes(address));
    if (this.asksPastEdge && own.length > 0) this.past = await this.front.portsAt(own);
    await this.learnAddresses();
    this.strangers = await this.askAsStranger();
  }

  /** What those see who name nothing, and which addresses show what lies here. */
  private async learnAddresses(): Promise<void> {
    const { sight, held, here } = this.input;
    const known = [...held.values()].flatMap((one) => (one === null ? [] : [one.fingerprint]));
    const [first] = this.roads;
    await Promise.all(
      this.front.open('https').map(async (place) => {
        const [bare, named] = await Promise.all(
          ['', first?.name ?? ''].map((name) => this.places(() => sight.handshake(place, name))),
        );
        if (bare?.ok === true) this.shownToAll.set(place.address, bare.value.leaf.fingerprint);
        const isProven = named?.ok === true && known.includes(named.value.leaf.fingerprint);
        if (isProven || here.includes(place.address)) this.ours.push(place.address);
      }),
    );
  }

  async road(road: PlannedRoad): Promise<LegResult[]> {
    const [dns, tls, plain] = await Promise.all([
      this.places(() => this.dns(road)),
      this.places(() => this.tls(road)),
      this.places(() => this.redirect(road)),
    ]);
    const port = this.port();
    if (tls.outcome === 'skipped' || tls.says === 'refused') {
      const needs = (leg: LegName): LegResult => skipped(leg, 'needs tls');
      return [dns, port, tls, plain, needs('access'), needs('service'), needs('websocket'), needs('bypass')];
    }
    const access = await this.places(() => this.access(road));
    const { target } = lookedAt(road);
    const front = await this.places(() => this.front.ask('https', road.name, target, this.credentials(road)));
    const isShut = isBehindGate(access, Object.keys(this.credentials(road)).length > 0);
    const [answered, live] = isShut
      ? [skipped('service', 'behind its gate'), skipped('websocket', 'behind its gate')]
      : await Promise.all([this.service(road, front), this.places(() => this.websocket(road))]);
    // What goes round in a circle cannot be told apart; the circle is the one cause.
    const isCircle = plain.says === 'loop' && answered.outcome === 'unsure';
    const service = isCircle ? skipped('service', 'a circle') : answered;
    const redirect = road.paused ? plain : withHsts(plain, hstsProblem(road, front.ok ? front.value : null));
    return [dns, port, tls, redirect, access, service, live, await this.bypass(road)];
  }

  vantage(): Vantage {
    const { here, fromHome } = this.input;
    const connection = this.front.connection();
    const isMachine = connection !== null && here.includes(connection.to);
    const place = isMachine ? 'machine' : fromHome ? 'home' : 'outside';
    const at = [...new Set(this.front.ports.map(({ address }) => address))];
    return { from: connection?.from ?? null, place, seenAs: this.seenAs, at };
  }

  /** What may only be tried when everything else has been seen, since the front then slows this machine down. Empty when it was not tried. */
  async afterwards(road: PlannedRoad): Promise<RateEvidence | null> {
    const question = this.front.question('https', road.name, '/');
    // One that the map does not name is ours to give, and no promise that a front made by hand would break.
    if (road.lines['rate'] === undefined || road.paused || !this.mayTryMore) return null;
    if (!this.ours.includes(question.address)) return null;
    return driveRate(road, question, this.input.sight, this.places);
  }

  /** Whether the front is proven to be ours, and looked at by ourselves. */
  private get mayTryMore(): boolean {
    return this.input.sight.isLive && this.input.plan.front.edge === null && this.ours.length > 0;
  }

  private port(): LegResult {
    const ports = judgePorts(this.front.ports);
    const hairpin = this.front.isAtHome ? [noHairpin(this.addresses, this.input.plan.front.home)] : [];
    return { ...ports, problems: [...ports.problems, ...hairpin, ...this.pastEdge()] };
  }

  /** From home the front is meant to be reached directly. */
  private get asksPastEdge(): boolean {
    return this.input.plan.front.edge !== null && !this.input.fromHome;
  }

  private pastEdge(): Problem[] {
    if (!this.asksPastEdge) return [];
    const own = [...this.front.ports, ...this.past].filter(({ address }) =>
      this.input.plan.front.addresses.includes(address),
    );
    const open = [...new Set(own.filter(({ attempt }) => attempt.ok).map(({ address }) => address))];
    return open.length === 0 ? [] : [frontPastEdge(open)];
  }

  private async dns({ name, display }: PlannedRoad): Promise<LegResult> {
    const { at, homeNames, sight } = this.input;
    if (at !== null) return skipped('dns', 'by --at');
    const evidence = await sight.names.addressesOf(name);
    const { home } = this.input.plan.front;
    const isSplit = evidence.kind === 'found' && evidence.addresses.every((address) => home.includes(address));
    if (isSplit && homeNames && !evidence.addresses.every((one) => this.addresses.includes(one))) {
      return ok('dns', evidence.addresses.join(' '), [splitNaming(sight.names.label, evidence.addresses)]);
    }
    return judgeDns({
      // One wildcard record stands for all other names.
      name: isWildcard(display) ? wildcardOver(name) : name,
      evidence,
      expected: this.addresses,
      edge: this.input.plan.front.edge?.networks ?? [],
      resolver: sight.names.label,
    });
  }

  private tls({ name, certificate }: PlannedRoad): Promise<LegResult> {
    const { plan, sight, held, now } = this.input;
    const { shownToAll, orders } = this;
    // What an edge shows is its own.
    const planned = plan.front.edge === null ? (held.get(certificate) ?? null) : null;
    const { domains } = plan;
    return driveTls({ sight, name, places: this.front.open('https'), domains, held: planned, shownToAll, orders, now });
  }

  private async redirect(road: PlannedRoad): Promise<LegResult> {
    if (this.front.open('http').length === 0) return skipped('redirect', 'port closed');
    if (road.rules.plain) return ok('redirect', 'plain, as the map says');
    return driveRedirect({
      prepared: this.prepared,
      road,
      target: probeTarget,
      authority: this.front.authority('http', road.name),
      port: this.front.port('http'),
      isAtFront: (url, scheme) => this.isAtFront(url, scheme) && this.front.open(scheme).length > 0,
      ask: (scheme, host, to, headers) => this.front.ask(scheme, host, to, headers),
    });
  }

  private isAtFront(url: URL, scheme: 'http' | 'https'): boolean {
    const port = url.port === '' ? (scheme === 'https' ? 443 : 80) : Number(url.port);
    return this.prepared.roadOf(url.hostname) !== null && port === this.input.plan.front.ports[scheme];
  }

  /** What this machine may do at the gate of a road; the one wrong password of a run is spent at the first that asks. */
  private async access(road: PlannedRoad): Promise<LegResult> {
    if (road.gate.parts.length === 0 || road.paused) return skipped('access', 'no gate');
    const { from, to } = this.front.connection() ?? { from: '', to: '' };
    const { target } = lookedAt(road);
    const direct = this.directs.get(road.name)?.answer;
    const { sight, frontLog } = this.input;
    const signed: Record<string, string> = sight.isLive
      ? { referer: `https://${road.authority}/?${frontLog.sign}` }
      : {};
    return driveAccess({
      prepared: this.prepared,
      road,
      target,
      from,
      seen: async () => {
        const seen = await this.input.frontLog.addressSeen(road);
        this.seenAs ??= seen;
        return seen;
      },
      // On the way to an address inside nobody has to translate ours.
      isSeenAs: this.input.fromHome || !isPrivate(from) || isPrivate(to),
      directStatus: direct?.ok === true ? direct.value.status : null,
      login: this.input.login,
      takeGuess: () => {
        const isFirst = !this.hasGuessed && this.input.sight.isLive;
        this.hasGuessed = true;
        return isFirst;
      },
      ask: (headers) => this.front.ask('https', road.name, target, { ...headers, ...signed }),
    });
  }

  private websocket(road: PlannedRoad): Promise<LegResult> {
    const { leads, stretch } = lookedAt(road);
    const at = this.input.fromHost.get(stretch) ?? null;
    const { sight, limits, plan } = this.input;
    const path = road.rules.expect?.path ?? '/';
    const front = this.front.question('https', road.name, path, this.credentials(road));
    return driveWebsocket({ road, leads, front, sight, at, ports: plan.front.ports, limits });
  }

  /** What a stranger gets, a method that is forbidden, and the service itself at the front's own addresses. */
  private async bypass(road: PlannedRoad): Promise<LegResult> {
    if (road.paused) return skipped('bypass', 'paused');
    const method = this.input.sight.isLive ? harmlessForbidden(road) : null;
    const [refused, ways] = await Promise.all([
      method === null
        ? null
        : this.places(() => this.front.ask('https', road.name, '/', this.credentials(road), method)),
      this.ways(road),
    ]);
    const tried = method === null || refused === null ? null : { method, attempt: refused };
    return judgeBypass({ road, strangers: this.strangers, refused: tried, ways });
  }

  private ways(road: PlannedRoad): Promise<WayRound[]> {
    const { fromHost, here, limits, plan } = this.input;
    const { target, stretch } = lookedAt(road);
    const own = this.directs.get(road.name);
    const at = fromHost.get(stretch) ?? null;
    if (own === undefined || at === null || !this.mayTryMore) return Promise.resolve([]);
    const addresses = this.ours;
    return driveWays({ road, own, at, target, addresses, here, ports: plan.front.ports, places: this.places, limits });
  }

  /** Who names nothing, and who names what is not on the map: on both ports. */
  private async askAsStranger(): Promise<StrangerEvidence[]> {
    const { plan, sight } = this.input;
    // What an edge shows at its bare address is its own.
    const edge = plan.front.edge?.networks ?? [];
    const tries = (['https', 'http'] as const).flatMap((scheme) =>
      this.front
        .open(scheme)
        .filter(({ address }) => !inNetworks(address, edge))
        .flatMap(({ address, port }) => [null, strangeName(plan)].map((name) => ({ scheme, address, port, name }))),
    );
    const directs = [...this.directs.values()];
    return Promise.all(tries.map((one) => this.places(() => askAsStranger({ sight, ...one, directs }))));
  }

  /** The test login, for a road that asks people. */
  private credentials({ gate }: PlannedRoad): Record<string, string> {
    const { login } = this.input;
    return login !== null && gate.parts.some(({ people }) => people !== null) ? basic(login) : {};
  }

  private async service(road: PlannedRoad, front: Attempt<Answer>): Promise<LegResult> {
    const { leads } = lookedAt(road);
    if (!front.ok && front.failure.kind === 'unreachable') return skipped('service', 'not seen');
    if (road.paused) return judgePaused({ front });
    if (leads.kind === 'redirect') {
      // The probe is in no normal form, so that it lies in no part of the road but in the road itself.
      const to = road.leads.kind === 'redirect' ? road.leads : null;
      if (to === null) return skipped('service', 'leads elsewhere');
      const sent = await this.places(() => this.front.ask('https', road.name, probeTarget, this.credentials(road)));
      return judgeRoadRedirect({ road, front: sent, expected: `${to.url}${probeTarget}` });
    }
    if (leads.kind === 'folder') return judgeFolder({ road, front });
    const own = this.directs.get(road.name);
    if (own === undefined) return skipped('service', 'not known');
    const isFailed = !front.ok || front.value.status >= 400;
    const log = isFailed ? await this.input.frontLog.lastError(road) : null;
    return judgeService({ road, front, own, directs: [...this.directs.values()], log });
  }

  private async direct(road: PlannedRoad): Promise<void> {
    const { target, leads, stretch } = lookedAt(road);
    if (leads.kind !== 'service' || leads.upstream === null) return;
    const { plan, limits, fromHost } = this.input;
    const at = fromHost.get(stretch) ?? null;
    const { ports } = plan.front;
    this.directs.set(road.name, await driveDirect({ road, upstream: leads.upstream, at, target, ports, limits }));
  }
}
