import { asksFor } from '../../../core/gates/check.ts';
import { isBehindGate, isSoundRefusal } from '../../../core/legs/gate/access.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { untested, type LegResult, type Problem } from '../../../core/legs/leg.ts';
import { hstsProblem } from '../../../core/legs/way/redirect.ts';
import { judgeBehindGate, type HidingRouter } from '../../../core/legs/gate/behind-gate.ts';
import { judgeNowhere } from '../../../core/legs/service/nowhere.ts';
import { withLive } from '../../../core/legs/passing/websocket.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { admits } from '../../../core/networks/admits.ts';
import { withPort } from '../../../core/networks/address.ts';
import { isUnder } from '../../../core/names/host-name.ts';
import type { Plan, PlannedRoad } from '../../../core/plan/plan.ts';
import type { Memory } from '../asking/memory.ts';
import { admittedAddress } from '../gate/admitted.ts';
import { credentials } from '../gate/credentials.ts';
import { testService } from './test-service.ts';
import { judgeSamples } from './test-steady.ts';
import { testAccess } from '../gate/test-access.ts';
import { testHiddenWebsocket, testWebsocket } from './test-websocket.ts';
import type { PartAt, TestedAddress } from '../part-at.ts';
import { isFrontsMachine, throughRouter, type Shared } from '../testing.ts';

/**
 * How the legs behind the handshake came out for one part of a road at one address, and what there is to say of HSTS.
 *
 * @property millis how long the answer took that a visitor gets who passes the gate; null when none came, or the gate kept this machine out
 */
export interface BehindTls {
  address: string;
  part: string;
  access: LegResult;
  service: LegResult;
  websocket: LegResult;
  hsts: Problem[];
  millis: number | null;
}

/** Tests every part of a road behind the handshake, as a visitor of one address of the front meets it: one after the other, as the log has it. */
export async function testBehindTls(
  shared: Shared,
  road: PlannedRoad,
  at: TestedAddress,
  memory: Memory,
): Promise<BehindTls[]> {
  const tested: BehindTls[] = [];
  // The road itself first; a part of a road that is paused has nothing of its own to say.
  const parts = [...road.parts].reverse().slice(0, road.paused ? 1 : undefined);
  for (const part of parts) tested.push(await testPart(shared, { road, part, at }, memory));
  return tested;
}

async function testPart(shared: Shared, where: PartAt, memory: Memory): Promise<BehindTls> {
  const { road, part, at } = where;
  const { limiter, input } = shared;
  const login = credentials(input, road, at);
  const access = await limiter(() => testAccess(shared, where, memory));
  const answer = await limiter(() => at.front.ask('https', road.name, targetOf(road, part), login));
  const hsts = road.paused ? [] : hstsProblem(road, answer.ok ? answer.value : null, plainBelow(input.plan, road));
  const common = { address: at.address, part: part.prefix, access, hsts };
  if (!isBehindGate(access, Object.keys(login).length > 0))
    return { ...common, ...(await testLed(shared, where, answer)) };
  const admitted = isSoundRefusal(access) ? admittedAddress(shared, where) : null;
  const inside = admitted === null ? null : await testAdmitted(shared, where, admitted, memory);
  return { ...common, ...(inside ?? (await testHidden(shared, where, isSoundRefusal(access) && at.isSound))) };
}

/** What a visitor who passes the gate gets. */
async function testLed(shared: Shared, where: PartAt, answer: Attempt<Answer>): Promise<Led> {
  const { limiter } = shared;
  const [service, websocket] = await Promise.all([
    testService(shared, where, answer),
    limiter(() => testWebsocket(shared, where)),
  ]);
  return { service: withLive(service, websocket), websocket, millis: answer.ok ? (answer.value.millis ?? null) : null };
}

type Led = Pick<BehindTls, 'service' | 'websocket' | 'millis'>;

/** The same by an address of this machine that the map lets in. Null when there is no way from it. */
async function testAdmitted(
  shared: Shared,
  { road, part, at }: PartAt,
  from: string,
  memory: Memory,
): Promise<(Led & Pick<BehindTls, 'access'>) | null> {
  const { limiter } = shared;
  const where = { road, part, at: { ...at, front: at.front.as(from) } };
  const access = await limiter(() => testAccess(shared, where, memory));
  if (access.kind === 'no-answer') return null;
  if (isBehindGate(access, false)) return { access, ...(await testHidden(shared, where, false)) };
  const answer = await limiter(() => where.at.front.ask('https', road.name, targetOf(road, part)));
  return { access, ...(await testLed(shared, where, answer)) };
}

/** What can be said of what lies behind a gate that keeps this machine out. */
async function testHidden(shared: Shared, where: PartAt, isSound: boolean): Promise<Led> {
  const { road, part } = where;
  const { leads } = part;
  const own = shared.directs.get(part) ?? null;
  const isLost = leads.kind === 'service' && own === null;
  const varying = own === null ? null : await judgeSamples(shared, where, { a: [], b: own.course });
  if (varying !== null) return { service: varying, websocket: untested('websocket', 'behind-gate'), millis: null };
  const service = isLost
    ? judgeNowhere({ road, part, front: null })
    : judgeBehindGate(road, own, { isHere: isFrontsMachine(shared), isSound, router: hidingRouter(shared, road) });
  return { service, websocket: await shared.limiter(() => testHiddenWebsocket(shared, where)), millis: null };
}

/** The router puts another address in place of this machine's, which the gate would let in. */
function hidingRouter(shared: Shared, { gate }: PlannedRoad): HidingRouter | null {
  const own = throughRouter(shared);
  if (own === null || asksFor(gate, 'people') || !admits(gate, own)) return null;
  const { home, listen, ports } = shared.input.plan.front;
  const [address = own] = home;
  return {
    address,
    isWritten: home.length > 0,
    at: listen.https === ports.https ? address : withPort(address, listen.https),
  };
}

/** Roads below the name of another one that visitors are to reach over plain HTTP. */
function plainBelow({ roads }: Plan, { name }: PlannedRoad): string[] {
  return roads.flatMap((one) => (one.rules.plain && one.name !== name && isUnder(one.name, name) ? [one.name] : []));
}
