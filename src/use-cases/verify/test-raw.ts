import { knock, knockByDatagram } from '../../adapters/probe/knock.ts';
import { legNames } from '../../core/findings/finding.ts';
import type { Attempt } from '../../core/legs/answer.ts';
import { untested, type LegResult, type RoadLegs } from '../../core/legs/leg.ts';
import { judgeRaw, type Knock } from '../../core/legs/raw.ts';
import { unite } from '../../core/legs/unite.ts';
import { admits } from '../../core/networks/admits.ts';
import { isLoopback, isPrivate } from '../../core/networks/address.ts';
import type { PlannedPort } from '../../core/plan/plan.ts';
import { testTlsAt } from './test-tls.ts';
import type { Endpoint } from './prober.ts';
import { strangeName } from './questions.ts';
import type { Shared } from './testing.ts';

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
  const at = (endpoint: Endpoint, more: { first?: string; tls?: string } = {}): Promise<Attempt<Knock>> =>
    limiter(() => ask({ ...endpoint, ...more, ...limits }));
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
  return judgeRaw({
    port,
    knocks,
    direct,
    again,
    otherwise,
    inside,
    takesTls,
    tls,
    past: await pastGate(shared, port, at),
  });
}

function isMute({ attempt }: KnockAt): boolean {
  return attempt.ok && attempt.value.says === '';
}

/** Where the service of a port with a gate answers at the front's own addresses, on the port by which this machine reaches it. */
async function pastGate(
  shared: Shared,
  { gate, port, resolution }: PlannedPort,
  at: (endpoint: Endpoint) => Promise<Attempt<Knock>>,
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
      return attempt.ok && attempt.value.stays ? [address] : [];
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
