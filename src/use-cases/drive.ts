import { ask } from '../adapters/probe/ask.ts';
import { connect, type Limits } from '../adapters/probe/connect.ts';
import { handshake, type Trust } from '../adapters/probe/handshake.ts';
import type { NameSource } from '../adapters/probe/look-up.ts';
import type { Login } from '../adapters/files/read-login.ts';
import { type LegName } from '../core/findings/finding.ts';
import type { Answer, Attempt } from '../core/legs/answer.ts';
import { isBehindGate } from '../core/legs/access.ts';
import { harmlessForbidden, judgeBypass, type StrangerEvidence } from '../core/legs/bypass.ts';
import { judgeDns } from '../core/legs/dns.ts';
import { frontPastEdge, noHairpin, splitNaming } from '../core/legs/home.ts';
import { ok, skipped, type LegResult, type Problem } from '../core/legs/leg.ts';
import { judgePorts, type PortEvidence } from '../core/legs/port.ts';
import {
  judgeFolder,
  judgePaused,
  judgeRoadRedirect,
  judgeService,
  type DirectEvidence,
} from '../core/legs/service.ts';
import { judgeTls } from '../core/legs/tls.ts';
import { inNetworks, isPrivate } from '../core/networks/address.ts';
import type { Plan, PlannedRoad } from '../core/plan/plan.ts';
import { lookedAt } from './looked-at.ts';
import { prepare } from '../core/verdict/decide.ts';
import type { At } from '../core/plan/resolve-service.ts';
import type { Prepared } from '../core/verdict/verdict.ts';
import { askAsStranger } from './ask-as-stranger.ts';
import { driveWebsocket } from './drive-websocket.ts';
import { driveDirect } from './drive-direct.ts';
import { driveRedirect } from './drive-redirect.ts';
import { basic, driveAccess } from './drive-access.ts';

/** What driving needs to know, whichever roads are driven. */
export interface DriveInput {
  plan: Plan;
  /** Where this host itself reaches the service of a road, by road name; null when it cannot. */
  fromHost: ReadonlyMap<string, At | null>;
  /** Drive this address instead of what DNS says; `null` ports are the front's own. */
  at: { address: string; httpPort: number; httpsPort: number } | null;
  names: NameSource;
  /** Whether the name source is one that may rightly lead to the addresses of home: asked from home, and not a public one. */
  homeNames: boolean;
  /** Whether this machine is in a network of the front itself. */
  fromHome: boolean;
  trust: Trust;
  /** Who may be tried at gates with people; null for nobody. */
  login: Login | null;
  timeoutMs: number;
  now: number;
  signal: AbortSignal;
}

/** A harmless target whose redirect shows whether path and query are kept byte for byte. */
const probeTarget = '/mile-marker-probe/a%2Fb?kept=%2F';

/** Drives the legs of one road after the other's, on what all of them share. */
export class Drive {
  private readonly prepared: Prepared;
  private ports: PortEvidence[] = [];
  /** What answers at the front's own addresses, when the edge in front of it is driven. */
  private past: PortEvidence[] = [];
  private directs: DirectEvidence[] = [];
  private strangers: StrangerEvidence[] = [];
  private hasGuessed = false;
  /** Driven at the addresses of home, since the public ones do not answer from here. */
  private isAtHome = false;

  constructor(
    private readonly input: DriveInput,
    /** The public addresses of the front, or what --at says. */
    private readonly addresses: readonly string[],
    private readonly limit: <T>(work: () => Promise<T>) => Promise<T>,
  ) {
    this.prepared = prepare(input.plan);
  }

  /** What all roads share: the front's ports, and what every service answers when asked directly. */
  async prepare(): Promise<void> {
    const services = this.input.plan.roads.filter((road) => lookedAt(road).leads.kind === 'service');
    [this.ports, this.directs] = await Promise.all([
      this.portsAt(this.addresses),
      Promise.all(services.map((road) => this.limit(() => this.direct(road)))).then((found) => found.flat()),
    ]);
    await this.turnHome();
    const own = this.input.plan.front.addresses.filter((address) => !this.addresses.includes(address));
    if (this.asksPastEdge && own.length > 0) this.past = await this.portsAt(own);
    this.strangers = await this.askAsStranger();
  }

  private async portsAt(addresses: readonly string[]): Promise<PortEvidence[]> {
    const listeners = [
      { listener: 'https' as const, port: this.httpsPort },
      { listener: 'http' as const, port: this.httpPort },
    ];
    const tries = addresses.flatMap((address) => listeners.map((listener) => ({ address, ...listener })));
    return Promise.all(
      tries.map((one) => this.limit(async () => ({ ...one, attempt: await connect({ ...one, ...this.limits }) }))),
    );
  }

  /** Where the public addresses do not answer but those of home do, the router does not lead back inside. */
  private async turnHome(): Promise<void> {
    const { home } = this.input.plan.front;
    if (this.input.at !== null || home.length === 0 || this.ports.some(({ attempt }) => attempt.ok)) return;
    this.isAtHome = true;
    const found = await this.portsAt(home);
    this.isAtHome = found.some(({ attempt }) => attempt.ok);
    if (this.isAtHome) this.ports = found;
  }

  async road(road: PlannedRoad): Promise<LegResult[]> {
    const [dns, tls, redirect] = await Promise.all([
      this.limit(() => this.dns(road)),
      this.limit(() => this.tls(road)),
      this.limit(() => this.redirect(road)),
    ]);
    const shaken = tls.outcome !== 'skipped' && tls.says !== 'refused';
    const needs = (leg: LegName): LegResult => skipped(leg, 'needs tls');
    const access = shaken ? await this.limit(() => this.access(road)) : needs('access');
    const [answered, live] = !shaken
      ? [needs('service'), needs('websocket')]
      : isBehindGate(access, Object.keys(this.credentials(road)).length > 0)
        ? [skipped('service', 'behind its gate'), skipped('websocket', 'behind its gate')]
        : await this.limit(() => Promise.all([this.service(road), this.websocket(road)]));
    // What goes round in a circle cannot be told apart; the circle is the one cause.
    const isCircle = redirect.says === 'loop' && answered.outcome === 'unsure';
    const service = isCircle ? skipped('service', 'a circle') : answered;
    const ports = judgePorts(this.ports);
    const hairpin = this.isAtHome ? [noHairpin(this.addresses, this.input.plan.front.home)] : [];
    const port = { ...ports, problems: [...ports.problems, ...hairpin, ...this.pastEdge()] };
    const bypass = shaken ? await this.limit(() => this.bypass(road)) : needs('bypass');
    return [dns, port, tls, redirect, access, service, live, bypass];
  }

  /** From home the front is meant to be reached directly. */
  private get asksPastEdge(): boolean {
    return this.input.plan.front.edge !== null && !this.input.fromHome;
  }

  private pastEdge(): Problem[] {
    if (!this.asksPastEdge) return [];
    const own = [...this.ports, ...this.past].filter(({ address }) =>
      this.input.plan.front.addresses.includes(address),
    );
    const open = [...new Set(own.filter(({ attempt }) => attempt.ok).map(({ address }) => address))];
    return open.length === 0 ? [] : [frontPastEdge(open)];
  }

  private get limits(): Limits {
    return { timeoutMs: this.input.timeoutMs, signal: this.input.signal };
  }

  private get httpsPort(): number {
    return this.input.at?.httpsPort ?? this.frontPorts.https;
  }

  private get httpPort(): number {
    return this.input.at?.httpPort ?? this.frontPorts.http;
  }

  /** At home nobody translates the ports. */
  private get frontPorts(): { http: number; https: number } {
    const { ports, listen } = this.input.plan.front;
    return this.isAtHome ? listen : ports;
  }

  private open(listener: 'http' | 'https'): string[] {
    return this.ports.filter((one) => one.listener === listener && one.attempt.ok).map(({ address }) => address);
  }

  private async dns({ name }: PlannedRoad): Promise<LegResult> {
    const { at, names } = this.input;
    if (at !== null) return skipped('dns', 'by --at');
    const evidence = await names.addressesOf(name);
    const { home } = this.input.plan.front;
    const isSplit = evidence.kind === 'found' && evidence.addresses.every((address) => home.includes(address));
    if (isSplit && this.input.homeNames && !evidence.addresses.every((one) => this.addresses.includes(one))) {
      return ok('dns', evidence.addresses.join(' '), [splitNaming(names.label, evidence.addresses)]);
    }
    return judgeDns({
      name,
      evidence,
      expected: this.addresses,
      edge: this.input.plan.front.edge?.networks ?? [],
      resolver: names.label,
    });
  }

  /** At every address that is open, since one of two may be answered by something else. The first that is not well counts. */
  private async tls({ name }: PlannedRoad): Promise<LegResult> {
    const { trust, now } = this.input;
    const port = this.httpsPort;
    let result = skipped('tls', 'port closed');
    for (const address of this.open('https')) {
      const attempt = await handshake({ address, port, name, trust, ...this.limits });
      result = judgeTls({ name, attempt, port, domains: this.input.plan.domains, now });
      if (result.outcome !== 'ok') return result;
    }
    return result;
  }

  private async redirect(road: PlannedRoad): Promise<LegResult> {
    if (this.open('http').length === 0) return skipped('redirect', 'port closed');
    if (road.rules.plain) return ok('redirect', 'plain, as the map says');
    return driveRedirect({
      prepared: this.prepared,
      road,
      target: probeTarget,
      authority: this.authority('http', road.name),
      port: this.httpPort,
      isAtFront: (url, scheme) => this.isAtFront(url, scheme) && this.open(scheme).length > 0,
      ask: (scheme, host, to) => this.askFront(scheme, host, to),
    });
  }

  private isAtFront(url: URL, scheme: 'http' | 'https'): boolean {
    const port = url.port === '' ? (scheme === 'https' ? 443 : 80) : Number(url.port);
    return this.prepared.roads.has(url.hostname) && port === this.input.plan.front.ports[scheme];
  }

  /** What this machine may do at the gate of a road; the one wrong password of a run is spent at the first that asks. */
  private async access(road: PlannedRoad): Promise<LegResult> {
    if (road.gate.parts.length === 0 || road.paused) return skipped('access', 'no gate');
    const port = this.ports.find(({ listener, attempt }) => listener === 'https' && attempt.ok);
    const from = port?.attempt.ok === true ? port.attempt.value : '';
    const direct = this.directs.find((one) => one.road === road.name)?.first;
    return driveAccess({
      prepared: this.prepared,
      road,
      target: lookedAt(road).target,
      from,
      // On the way to an address inside nobody has to translate ours.
      isSeenAs: this.input.fromHome || !isPrivate(from) || isPrivate(port?.address ?? ''),
      direct: direct?.ok === true ? direct.value : null,
      login: this.input.login,
      takeGuess: () => {
        const isFirst = !this.hasGuessed;
        this.hasGuessed = true;
        return isFirst;
      },
      ask: (headers) => this.askFront('https', road.name, lookedAt(road).target, headers),
    });
  }

  private websocket(road: PlannedRoad): Promise<LegResult> {
    const [address = ''] = this.open('https');
    const headers = { host: this.authority('https', road.name), ...this.credentials(road) };
    const { leads, stretch } = lookedAt(road);
    const at = this.input.fromHost.get(stretch) ?? null;
    const front = { address, port: this.httpsPort, headers };
    return driveWebsocket({ road, leads, front, at, ports: this.input.plan.front.ports, limits: this.limits });
  }

  /** What a stranger gets, a method that is forbidden, and whether browsers are told to insist on HTTPS. */
  private async bypass(road: PlannedRoad): Promise<LegResult> {
    if (road.paused) return skipped('bypass', 'paused');
    const method = harmlessForbidden(road);
    const own = this.credentials(road);
    const [front, refused] = await Promise.all([
      road.rules.hsts === null || road.rules.hsts === 0 ? null : this.askFront('https', road.name, '/', own),
      method === null ? null : this.askFront('https', road.name, '/', own, method),
    ]);
    return judgeBypass({
      road,
      strangers: this.strangers,
      refused: method === null || refused === null ? null : { method, attempt: refused },
      front: front?.ok === true ? front.value : null,
    });
  }

  /** Who names nothing: the bare address, on both ports. */
  private async askAsStranger(): Promise<StrangerEvidence[]> {
    // What an edge shows at its bare address is its own.
    const edge = this.input.plan.front.edge?.networks ?? [];
    const tries = (['https', 'http'] as const).flatMap((scheme) =>
      this.open(scheme)
        .filter((address) => !inNetworks(address, edge))
        .map((address) => ({ scheme, address })),
    );
    const { directs, limits } = this;
    return Promise.all(
      tries.map(({ scheme, address }) => {
        const port = scheme === 'https' ? this.httpsPort : this.httpPort;
        return this.limit(() => askAsStranger({ scheme, address, port, directs, limits }));
      }),
    );
  }

  /** The test login, for a road that asks people. */
  private credentials({ gate }: PlannedRoad): Record<string, string> {
    const { login } = this.input;
    return login !== null && gate.parts.some(({ people }) => people !== null) ? basic(login) : {};
  }

  private async service(road: PlannedRoad): Promise<LegResult> {
    const { leads } = lookedAt(road);
    if (road.paused) return judgePaused({ front: await this.askFront('https', road.name, '/') });
    if (leads.kind === 'redirect') {
      const front = await this.askFront('https', road.name, probeTarget, this.credentials(road));
      // The probe is in no normal form, so that it lies in no part of the road but in the road itself.
      const to = road.leads.kind === 'redirect' ? road.leads : null;
      if (to === null) return skipped('service', 'leads elsewhere');
      return judgeRoadRedirect({ road, front, expected: `${to.url}${probeTarget}` });
    }
    if (leads.kind === 'folder')
      return judgeFolder({
        road,
        front: await this.askFront('https', road.name, lookedAt(road).target, this.credentials(road)),
      });
    const own = this.directs.find((direct) => direct.road === road.name);
    if (own === undefined) return skipped('service', 'not known');
    const front = await this.askFront('https', road.name, lookedAt(road).target, this.credentials(road));
    const others = this.directs.filter((direct) => direct !== own);
    return judgeService({ road, front, own, others });
  }

  private askFront(
    scheme: 'http' | 'https',
    name: string,
    target: string,
    more: Record<string, string> = {},
    method = 'GET',
  ): Promise<Attempt<Answer>> {
    const [address = ''] = this.open(scheme);
    const port = scheme === 'https' ? this.httpsPort : this.httpPort;
    const headers = { host: this.authority(scheme, name), ...more };
    return ask({ scheme, address, port, servername: name, target, method, headers, ...this.limits });
  }

  private authority(scheme: 'http' | 'https', name: string): string {
    const port = this.input.plan.front.ports[scheme];
    return port === (scheme === 'https' ? 443 : 80) ? name : `${name}:${String(port)}`;
  }

  private async direct(road: PlannedRoad): Promise<DirectEvidence[]> {
    const { target, leads, stretch } = lookedAt(road);
    if (leads.kind !== 'service' || leads.upstream === null) return [];
    const at = this.input.fromHost.get(stretch) ?? null;
    const { ports } = this.input.plan.front;
    return [await driveDirect({ road, upstream: leads.upstream, at, target, ports, limits: this.limits })];
  }
}
