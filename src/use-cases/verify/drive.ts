import type { Login } from '../../adapters/files/read-login.ts';
import type { FrontLog } from '../../adapters/files/front-log.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { HeldCertificate } from '../../core/certificates/cover.ts';
import { harmlessForbidden, judgeBypass, type StrangerEvidence } from '../../core/legs/bypass.ts';
import { besideZone, judgeDns } from '../../core/legs/dns.ts';
import { frontPastEdge, noHairpin, splitNaming } from '../../core/legs/home.ts';
import { overAddresses, type LegAt } from '../../core/legs/addresses.ts';
import { ok, skipped, type LegResult, type Problem } from '../../core/legs/leg.ts';
import { judgePorts, type PortEvidence } from '../../core/legs/port.ts';
import { withHsts } from '../../core/legs/redirect.ts';
import { judgeRunning, type RunningEvidence } from '../../core/legs/running.ts';
import { withUploads } from '../../core/legs/uploads.ts';
import type { Vantage } from '../../core/legs/vantage.ts';
import type { RateEvidence, WayRound } from '../../core/legs/ways-round.ts';
import { inNetworks } from '../../core/networks/address.ts';
import { isWildcard, wildcardOver } from '../../core/names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { prepare } from '../../core/verdict/decide.ts';
import { askAsStranger } from './ask-as-stranger.ts';
import { credentials, driveBehindTls, redirectLeg, type BehindTls, type Common } from './test-behind-tls.ts';
import { driveDirect } from './ask-service.ts';
import { driveTls } from './test-tls.ts';
import { driveUploads } from './test-uploads.ts';
import { driveRate, driveWays } from './test-bypass.ts';
import { FrontView } from './front-view.ts';
import { lookedAt } from './looked-at.ts';
import type { Places } from './limiter.ts';
import { strangeName } from './questions.ts';
import type { Sight } from './prober.ts';

/** What driving needs to know, whichever roads are driven. */
export interface DriveInput {
  plan: Plan;
  /** Where this host itself reaches the service of a road, by road name; null when it cannot. */
  fromHost: ReadonlyMap<string, At | null>;
  /** Drive this address instead of what DNS says; `null` ports are the front's own. */
  at: { address: string; httpPort: number; httpsPort: number } | null;
  sight: Sight;
  /** Asks the servers of the zones about names, beside the addresses of the front; null when they are not to be asked. */
  zones: ((names: readonly string[], expected: readonly string[]) => Promise<ReadonlyMap<string, LegResult>>) | null;
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
  /** What the front of this machine says of itself; null when nothing does. */
  running: RunningEvidence | null;
  /** For what is asked directly, past the front. */
  limits: Limits;
  now: number;
}

/** Drives the legs of one road after the other's, on what all of them share. */
export class Drive {
  private readonly common: Common;
  private readonly front: FrontView;
  /** What answers at the front's own addresses, when the edge in front of it is driven. */
  private past: PortEvidence[] = [];
  private strangers: StrangerEvidence[] = [];
  /** What the zones' own servers make of each name. */
  private opinions: Promise<ReadonlyMap<string, LegResult>> = Promise.resolve(new Map());
  private readonly shownToAll = new Map<string, string>();
  private readonly orders = new Map<string, Promise<boolean | null>>();
  /** Addresses that are proven to be the front's own, so that more than a visitor's questions may be asked there. */
  private ours: string[] = [];

  constructor(
    private readonly input: DriveInput,
    /** The public addresses of the front, or what --at says. */
    private readonly addresses: readonly string[],
    private readonly roads: readonly PlannedRoad[],
    private readonly places: Places,
  ) {
    const prepared = prepare(input.plan);
    this.common = { input, prepared, places, directs: new Map(), hasGuessed: false, seenAs: null };
    this.front = new FrontView({ ...input, addresses, roads, places });
  }

  /** What all roads share: the front's ports, what the zones say, and what every service answers when asked directly. */
  async prepare(): Promise<void> {
    const { zones } = this.input;
    if (zones !== null)
      this.opinions = zones(
        this.roads.map(({ name }) => name),
        this.addresses,
      );
    // It is waited for later; until then nobody would hear that it failed.
    this.opinions.catch(() => undefined);
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
    const names = this.dns(road);
    const [handshakes, redirects] = await Promise.all([this.places(() => this.tls(road)), this.redirects(road)]);
    const behind = await this.behindTls(
      road,
      handshakes.filter(({ result }) => result.outcome !== 'skipped' && result.says !== 'refused'),
    );
    const told = redirects.map(({ address, result }): LegAt => ({
      address,
      result: withHsts(result, behind.get(address)?.hsts ?? []),
    }));
    const loops = redirects.filter(({ result }) => result.says === 'loop').map(({ address }) => address);
    const over = (leg: 'access' | 'service' | 'websocket'): LegResult => {
      const results = [...behind].map(([address, legs]): LegAt => {
        // What goes round in a circle cannot be told apart; the circle is the one cause.
        const isCircle = leg === 'service' && legs.service.outcome === 'unsure' && loops.includes(address);
        return { address, result: isCircle ? skipped('service', 'a circle') : legs[leg] };
      });
      return overAddresses(results) ?? skipped(leg, 'needs tls');
    };
    const tls = overAddresses(handshakes) ?? skipped('tls', 'port closed');
    const redirect = overAddresses(told) ?? skipped('redirect', 'port closed');
    const isSound = tls.outcome !== 'wrong';
    const bypass = behind.size === 0 ? skipped('bypass', 'needs tls') : await this.bypass(road, isSound);
    const service = isSound ? await this.withUploads(road, over('service')) : over('service');
    return [await names, this.port(), tls, redirect, over('access'), service, over('websocket'), bypass];
  }

  /** Plain HTTP at every address of the front; one at which it is closed is judged for HSTS alone. */
  private redirects(road: PlannedRoad): Promise<LegAt[]> {
    const plain = this.front.open('http').map(({ address }) => address);
    const secure = this.front.open('https').map(({ address }) => address);
    return Promise.all(
      [...new Set([...plain, ...secure])].map(async (address): Promise<LegAt> => {
        if (!plain.includes(address)) return { address, result: skipped('redirect', 'port closed') };
        const view = this.front.at(address);
        return { address, result: await this.places(() => redirectLeg(this.common, road, view)) };
      }),
    );
  }

  private async behindTls(road: PlannedRoad, shaken: readonly LegAt[]): Promise<Map<string, BehindTls>> {
    const behind = new Map<string, BehindTls>();
    // One after the other: the front's log says which address it saw at the last question.
    for (const { address, result } of shaken) {
      const door = { front: this.front.at(address), isSound: result.outcome !== 'wrong' };
      behind.set(address, await driveBehindTls(this.common, road, door));
    }
    return behind;
  }

  vantage(): Vantage {
    const { here, fromHome } = this.input;
    const connection = this.front.connection();
    const isMachine = connection !== null && here.includes(connection.to);
    const place = isMachine ? 'machine' : fromHome ? 'home' : 'outside';
    const at = [...new Set(this.front.ports.map(({ address }) => address))];
    return { from: connection?.from ?? null, place, seenAs: this.common.seenAs, at };
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
    return { ...ports, problems: [...ports.problems, ...hairpin, ...this.pastEdge(), ...this.notNewest()] };
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

  /** What answers on the loopback of another machine is not the front. */
  private notNewest(): Problem[] {
    const { running, plan } = this.input;
    const problem = running === null || this.vantage().place !== 'machine' ? null : judgeRunning(plan, running);
    return problem === null ? [] : [problem];
  }

  private async dns({ name, display }: PlannedRoad): Promise<LegResult> {
    const { at, homeNames, sight } = this.input;
    if (at !== null) return skipped('dns', 'by --at');
    const evidence = await this.places(() => sight.names.addressesOf(name));
    const { home } = this.input.plan.front;
    const isSplit = evidence.kind === 'found' && evidence.addresses.every((address) => home.includes(address));
    if (isSplit && homeNames && !evidence.addresses.every((one) => this.addresses.includes(one))) {
      return ok('dns', evidence.addresses.join(' '), [splitNaming(sight.names.label, evidence.addresses)]);
    }
    const heard = {
      // One wildcard record stands for all other names.
      name: isWildcard(display) ? wildcardOver(name) : name,
      evidence,
      expected: this.addresses,
      edge: this.input.plan.front.edge?.networks ?? [],
      resolver: sight.names.label,
    };
    const own = judgeDns(heard);
    return isWildcard(display) ? own : besideZone(own, (await this.opinions).get(name), heard);
  }

  private tls({ name, certificate }: PlannedRoad): Promise<LegAt[]> {
    const { plan, sight, held, now } = this.input;
    const { shownToAll, orders } = this;
    // What an edge shows is its own.
    const planned = plan.front.edge === null ? (held.get(certificate) ?? null) : null;
    const { domains } = plan;
    return driveTls({ sight, name, places: this.front.open('https'), domains, held: planned, shownToAll, orders, now });
  }

  /** What a stranger gets, a method that is forbidden, and the service itself at the front's own addresses. */
  private async bypass(road: PlannedRoad, isSound: boolean): Promise<LegResult> {
    if (road.paused) return skipped('bypass', 'paused');
    const method = this.input.sight.isLive && isSound ? harmlessForbidden(road) : null;
    const [refused, ways] = await Promise.all([
      method === null
        ? null
        : this.places(() =>
            this.front.ask('https', road.name, '/', credentials(this.common, road, { isSound }), method),
          ),
      this.ways(road),
    ]);
    const tried = method === null || refused === null ? null : { method, attempt: refused };
    return judgeBypass({ road, strangers: this.strangers, refused: tried, ways });
  }

  /** Tried where the right service answers, at an address that is proven ours. */
  private async withUploads(road: PlannedRoad, service: LegResult): Promise<LegResult> {
    const { leads, stretch, target } = lookedAt(road);
    const { sight, limits, fromHost, plan } = this.input;
    if (service.outcome !== 'ok' || road.paused || leads.kind !== 'service' || leads.upstream === null) return service;
    const login = credentials(this.common, road, { isSound: true });
    const front = this.front.question('https', road.name, target, login);
    if (!this.mayTryMore || !this.ours.includes(front.address)) return service;
    const { upstream } = leads;
    const at = fromHost.get(stretch) ?? null;
    const { ports } = plan.front;
    const seen = await this.places(() => driveUploads({ road, upstream, at, front, sight, ports, limits }));
    return withUploads(service, road, seen);
  }

  private ways(road: PlannedRoad): Promise<WayRound[]> {
    const { fromHost, here, limits, plan } = this.input;
    const { target, stretch } = lookedAt(road);
    const own = this.common.directs.get(road.name);
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
    const directs = [...this.common.directs.values()];
    return Promise.all(tries.map((one) => this.places(() => askAsStranger({ sight, ...one, directs }))));
  }

  private async direct(road: PlannedRoad): Promise<void> {
    const { target, leads, stretch } = lookedAt(road);
    if (leads.kind !== 'service' || leads.upstream === null) return;
    const { plan, limits, fromHost } = this.input;
    const at = fromHost.get(stretch) ?? null;
    const { ports } = plan.front;
    this.common.directs.set(
      road.name,
      await driveDirect({ road, upstream: leads.upstream, at, target, ports, limits }),
    );
  }
}
