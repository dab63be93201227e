import { knock, knockByDatagram } from '../../adapters/probe/knock.ts';
import { legNames } from '../../core/findings/finding.ts';
import type { Attempt } from '../../core/legs/answer.ts';
import { untested, type LegResult, type RoadLegs } from '../../core/legs/leg.ts';
import { judgeRaw, type Knock } from '../../core/legs/raw.ts';
import { unite } from '../../core/legs/unite.ts';
import { admits } from '../../core/networks/admits.ts';
import { isPrivate } from '../../core/networks/address.ts';
import type { PlannedPort } from '../../core/plan/plan.ts';
import { testTlsAt } from './test-tls.ts';
import type { Endpoint } from './prober.ts';
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
  const at = (endpoint: Endpoint): Promise<Attempt<Knock>> => limiter(() => ask({ ...endpoint, ...limits }));
  const knocks = await Promise.all(
    addressesOf(shared).map(async (address): Promise<KnockAt> => {
      const attempt = await at({ address, port: port.port });
      return { address, attempt, admitted: attempt.ok ? isAdmitted(shared, port, address, attempt.value.from) : null };
    }),
  );
  const fromHost = port.resolution?.kind === 'dialled' ? port.resolution.fromHost : null;
  const direct = fromHost === null ? null : await at({ address: fromHost.host, port: fromHost.port });
  return judgeRaw({ port, knocks, direct, tls: await secure(shared, port, knocks) });
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
  const endpoints = knocks.flatMap(({ address, attempt }) =>
    attempt.ok && attempt.value.stays ? [{ address, port }] : [],
  );
  const held = shared.input.held.get(tls.certificate) ?? null;
  return unite(await testTlsAt(shared, { name: tls.name, held, endpoints }));
}

function sorted(legs: readonly LegResult[]): LegResult[] {
  return [...legs].sort((a, b) => legNames.indexOf(a.leg) - legNames.indexOf(b.leg));
}
