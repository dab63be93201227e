import { knock, knockByDatagram } from '../../../adapters/probe/knock.ts';
import { legNames } from '../../../core/findings/finding.ts';
import type { Attempt } from '../../../core/legs/answer.ts';
import { untested, type LegResult, type RoadLegs } from '../../../core/legs/leg.ts';
import { greetingOf, isSameGreeting, judgeRaw, type Knock } from '../../../core/legs/way/raw.ts';
import { unite } from '../../../core/legs/unite.ts';
import { admits } from '../../../core/networks/admits.ts';
import { isLoopback, isPrivate } from '../../../core/networks/address.ts';
import type { PlannedPort } from '../../../core/plan/plan.ts';
import { comesAgain } from '../service/in-turn.ts';
import { testTlsAt } from './test-tls.ts';
import type { Endpoint } from '../asking/prober.ts';
import { strangeName } from '../asking/questions.ts';
import type { Shared } from '../testing.ts';

/** Tests the raw ports of the map: whether each takes connections from whom its gate lets in, with TLS where that ends there, and gets to its service. */
export async function testRawPorts(shared: Shared): Promise<RoadLegs[]> {
  return Promise.all(
    shared.input.ports.map(async (port) => ({ road: port.name, legs: sorted(await testRaw(shared, port)) })),
  );
}

async function testRaw(shared: Shared, port: PlannedPort): Promise<LegResult[]> {
  const { input, limiter } = shared;
  const { limits, prober } = input;
  // What somebody else wrote down has nothing of them.
  if (!prober.isLive) return legNames.map((leg) => untested(leg, 'not-asked'));
  const ask = port.protocol === 'tcp' ? knock : knockByDatagram;
  const at: Knocking = (endpoint, more = {}) => limiter(() => ask({ ...endpoint, ...more, ...limits }));
  const knocks = await Promise.all(
    addressesOf(shared).map(async (address): Promise<KnockAt> => {
      const attempt = await at({ address, port: port.port });
      return { address, attempt, admitted: attempt.ok ? isAdmitted(shared, port, address, attempt.value.from) : null };
    }),
  );
  const fromHost = port.resolution?.kind === 'dialled' ? port.resolution.fromHost : null;
  const tls = await secure(shared, port, knocks);
  if (fromHost === null) return judgeRaw({ port, knocks, direct: null, tls });
  const service = { address: fromHost.host, port: fromHost.port };
  const toldFirst = { first: 'PROXY TCP4 127.0.0.1 127.0.0.1 40000 80\r\n' };
  const [asWritten, asNot] = port.tellsVisitor ? [toldFirst, {}] : [{}, toldFirst];
  const direct = await at(service, asWritten);
  if (port.protocol === 'udp') return judgeRaw({ port, knocks, direct, tls });
  const again = await at(service, asWritten);
  const [endpoint] = reachedOf(port, knocks);
  const inside = port.tls === null || endpoint === undefined ? null : await at(endpoint, { tls: port.tls.name });
  const greets = direct.ok && direct.value.says !== '';
  const isUnheard = port.tls === null && endpoint !== undefined && greets && knocks.some(isMute);
  // Asked only where something is missing: a service may write down every start of a protocol that is not its own.
  const mayWant = (direct.ok && !direct.value.stays) || (greets && knocks.some(isMute));
  const otherwise = mayWant ? await at(service, asNot) : null;
  const takesTls = isUnheard && (await limiter(() => prober.handshake(endpoint, strangeName(input.plan)))).ok;
  const past = await pastGate(shared, port, { at, greeting: greetingOf(direct, again) });
  const legs = judgeRaw({ port, knocks, direct, again, otherwise, inside, takesTls, tls, past });
  if (!legs.some(({ kind }) => kind === 'raw-other')) return legs;
  // One greeting that is late, or another once, is no other service.
  const front = { ...(oddOf(knocks, greetingOf(direct, again)) ?? endpoint ?? service), port: port.port };
  const isSo = await staysOdd({
    front,
    service,
    at,
    asWritten,
    asNot,
    tls: port.tls?.name ?? null,
    wanted: greetingOf(direct, again),
  });
  return isSo ? legs : legs.map((leg) => (leg.kind === 'raw-other' ? untested('service', 'no-answer') : leg));
}

interface Odd {
  front: Endpoint;
  service: Endpoint;
  at: Knocking;
  /** How the service is asked as the map says, and otherwise. */
  asWritten: { first?: string };
  asNot: { first?: string };
  tls: string | null;
  /** What the service says first; empty when it gives no answer as the map has it. */
  wanted: string;
}

type Knocking = (
  endpoint: Endpoint,
  more?: { first?: string; tls?: string; patienceMs?: number },
) => Promise<Attempt<Knock>>;

/** So long a greeting may take before it is missed. */
const greetingMs = 3000;

/** Whether what is odd about a greeting comes again, by turns with the service itself. */
function staysOdd({ front, service, at, asWritten, asNot, tls, wanted }: Odd): Promise<boolean> {
  const saysOf = async (endpoint: Endpoint, more: { first?: string; tls?: string }): Promise<string> => {
    const attempt = await at(endpoint, { ...more, patienceMs: greetingMs });
    return attempt.ok ? attempt.value.says : '';
  };
  if (wanted === '')
    return comesAgain(
      async () => (await saysOf(service, asWritten)) === '',
      async () => (await saysOf(service, asNot)) === '',
    );
  return comesAgain(
    async () => !isSameGreeting(await saysOf(front, tls === null ? {} : { tls }), wanted),
    async () => !isSameGreeting(await saysOf(service, asWritten), wanted),
  );
}

function oddOf(knocks: readonly KnockAt[], wanted: string): { address: string } | undefined {
  return knocks.find(
    ({ attempt, admitted }) => attempt.ok && admitted !== false && !isSameGreeting(attempt.value.says, wanted),
  );
}

function isMute({ attempt }: KnockAt): boolean {
  return attempt.ok && attempt.value.says === '';
}

/** Where the service of a port with a gate answers at the front's own addresses, on the port by which this machine reaches it. */
async function pastGate(
  shared: Shared,
  { gate, port, resolution }: PlannedPort,
  { at, greeting }: { at: Knocking; greeting: string },
): Promise<{ addresses: string[]; port: number } | null> {
  const here = resolution?.kind === 'dialled' ? resolution.fromHost : null;
  const { ours, addresses, input } = shared;
  if (here === null || gate.parts.length === 0 || here.port === port || input.plan.front.edge !== null) return null;
  if (!isLoopback(here.host) && !input.here.includes(here.host)) return null;
  // Without a road there is no certificate by which an address is known as ours; this machine's own are.
  const own = addresses.filter((address) => input.here.includes(address));
  const tried = [...new Set([...ours, ...own])].filter((address) => !isLoopback(address));
  const found = await Promise.all(
    tried.map(async (address) => {
      const attempt = await at({ address, port: here.port });
      // Another program may have the same port at another address.
      const isSame = attempt.ok && (greeting === '' || isSameGreeting(attempt.value.says, greeting));
      return isSame && attempt.value.stays ? [address] : [];
    }),
  );
  return { addresses: found.flat(), port: here.port };
}

/** An edge passes on the web alone. */
function addressesOf({ input: { plan, at }, addresses }: Shared): readonly string[] {
  return at === null && plan.front.edge !== null ? plan.front.addresses : addresses;
}

interface KnockAt {
  address: string;
  attempt: Attempt<Knock>;
  admitted: boolean | null;
}

/** Null where something in between may put another address in place of ours, as a router does on the way out and an engine on the way into a container. */
function isAdmitted({ input }: Shared, { gate }: PlannedPort, to: string, from: string): boolean | null {
  if (gate.parts.length === 0) return true;
  if (input.plan.front.container !== null) return null;
  const isSeenAs = input.here.includes(to) || isPrivate(to) || (!isPrivate(from) && !input.fromHome);
  return isSeenAs ? admits(gate, from) : null;
}

async function secure(
  shared: Shared,
  { port, tls }: PlannedPort,
  knocks: readonly KnockAt[],
): Promise<LegResult | null> {
  if (tls === null) return null;
  const endpoints = reachedOf({ port }, knocks);
  const held = shared.input.held.get(tls.certificate) ?? null;
  return unite(await testTlsAt(shared, { name: tls.name, held, endpoints }));
}

/** Where connections are taken and stay. */
function reachedOf({ port }: Pick<PlannedPort, 'port'>, knocks: readonly KnockAt[]): Endpoint[] {
  return knocks.flatMap(({ address, attempt }) => (attempt.ok && attempt.value.stays ? [{ address, port }] : []));
}

function sorted(legs: readonly LegResult[]): LegResult[] {
  return [...legs].sort((a, b) => legNames.indexOf(a.leg) - legNames.indexOf(b.leg));
}
