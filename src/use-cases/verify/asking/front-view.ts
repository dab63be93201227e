import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { PortEvidence } from '../../../core/legs/way/port.ts';
import type { Plan, PlannedRoad } from '../../../core/plan/plan.ts';
import { frontPorts } from '../gate/front-ports.ts';
import type { Limiter } from './limiter.ts';
import type { Endpoint, Question, Prober } from './prober.ts';

interface FrontViewInput {
  plan: Plan;
  /** Test this address instead of what DNS says. */
  at: { address: string; httpPort: number; httpsPort: number } | null;
  prober: Prober;
  /** Addresses of this machine inside, where the front is proven to run on it and the map names none of home; empty otherwise. */
  inside: readonly string[];
  /** The public addresses of the front, or what --at says. */
  addresses: readonly string[];
  roads: readonly PlannedRoad[];
  limiter: Limiter;
}

/** Where the front answers, and how it is asked there. */
export class FrontView {
  ports: PortEvidence[] = [];
  /** Looked at by the addresses of home, since the public ones do not answer from here. */
  isAtHome = false;
  /** Those of them that answer. */
  home: readonly string[] = [];
  /** The address of this machine to ask from; null for whichever fits. */
  private from: string | null = null;

  constructor(private readonly input: FrontViewInput) {}

  async prepare(): Promise<void> {
    this.ports = await this.portsAt(this.input.addresses);
    const { plan, inside } = this.input;
    const home = plan.front.home.length > 0 ? plan.front.home : inside;
    if (this.input.at !== null || home.length === 0 || this.ports.some(({ attempt }) => attempt.ok)) return;
    // The router may not lead back inside.
    this.isAtHome = true;
    const found = await this.portsAt(home);
    this.isAtHome = found.some(({ attempt }) => attempt.ok);
    if (!this.isAtHome) return;
    this.home = home.filter((address) => found.some((one) => one.address === address && one.attempt.ok));
    // What nobody wrote down is one of several: of those that do not answer there is nothing to say.
    this.ports = plan.front.home.length > 0 ? found : found.filter(({ address }) => this.home.includes(address));
  }

  portsAt(addresses: readonly string[]): Promise<PortEvidence[]> {
    const { prober, limiter, roads } = this.input;
    const ports = { http: this.port('http'), https: this.port('https') };
    const names = roads.map(({ name }) => name);
    const authority = (scheme: 'http' | 'https', name: string): string => this.authority(scheme, name);
    return frontPorts({ prober, addresses, ports, names, authority, limiter });
  }

  port(scheme: 'http' | 'https'): number {
    const { at, plan } = this.input;
    if (at !== null) return scheme === 'https' ? at.httpsPort : at.httpPort;
    // At home nobody translates the ports.
    return (this.isAtHome ? plan.front.listen : plan.front.ports)[scheme];
  }

  /** Where the front speaks what it should. */
  open(listener: 'http' | 'https'): Endpoint[] {
    return this.ports.filter((one) => one.listener === listener && one.attempt.ok && one.manner === 'speaks');
  }

  /** The same front as visitors of one of its addresses have it. Where a listener is closed there, the others stand in. */
  at(address: string): FrontView {
    const view = new FrontView(this.input);
    view.isAtHome = this.isAtHome;
    const isOpen = (listener: 'http' | 'https'): boolean =>
      this.open(listener).some((endpoint) => endpoint.address === address);
    view.ports = this.ports.filter((port) => port.address === address || !isOpen(port.listener));
    return view;
  }

  /** The front itself, at an address of the machine that it runs on. */
  past(address: string): FrontView {
    const view = new FrontView(this.input);
    view.isAtHome = true;
    const { listen } = this.input.plan.front;
    view.ports = (['http', 'https'] as const).map((listener) => ({
      listener,
      address,
      port: listen[listener],
      attempt: { ok: true, value: address },
      manner: 'speaks',
    }));
    return view;
  }

  /** The same, asked from one address of this machine. */
  as(from: string): FrontView {
    const view = new FrontView(this.input);
    return Object.assign(view, { isAtHome: this.isAtHome, ports: this.ports, from });
  }

  /** This machine's own address on the connection, and whither; null when nobody takes it. */
  connection(): { from: string; to: string } | null {
    const port = this.ports.find(({ listener, attempt }) => listener === 'https' && attempt.ok);
    return port?.attempt.ok === true ? { from: this.from ?? port.attempt.value, to: port.address } : null;
  }

  ask(
    scheme: 'http' | 'https',
    name: string,
    target: string,
    more: Record<string, string> = {},
    method = 'GET',
  ): Promise<Attempt<Answer>> {
    return this.input.prober.ask({ ...this.question(scheme, name, target, more), method });
  }

  question(scheme: 'http' | 'https', name: string, target: string, more: Record<string, string> = {}): Question {
    const [{ address, port } = { address: '', port: 0 }] = this.open(scheme);
    const { from } = this;
    return { scheme, address, port, name, target, from, headers: { host: this.authority(scheme, name), ...more } };
  }

  /** Name and port as visitors write them. */
  authority(scheme: 'http' | 'https', name: string): string {
    const port = this.input.plan.front.ports[scheme];
    return port === (scheme === 'https' ? 443 : 80) ? name : `${name}:${String(port)}`;
  }
}
