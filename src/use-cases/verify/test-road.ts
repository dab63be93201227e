import { harmlessForbidden, judgeBypass, type StrangerEvidence } from '../../core/legs/gate/bypass.ts';
import { hstsResult } from '../../core/legs/way/redirect.ts';
import { skipped, type LegResult, type RoadLegs } from '../../core/legs/leg.ts';
import { withUploads } from '../../core/legs/passing/uploads.ts';
import { unite, type LegAt } from '../../core/legs/unite.ts';
import { dialledParts } from '../../core/plan/parts.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';
import { credentials } from './gate/credentials.ts';
import { pastEdge } from './service/past-edge.ts';
import { testBehindTls, type BehindTls } from './service/test-behind-tls.ts';
import { findBypasses } from './gate/test-bypass.ts';
import { testPlain } from './way/test-redirect.ts';
import { tlsTester } from './way/test-tls.ts';
import { testUploads } from './service/test-uploads.ts';
import type { Limiter } from './asking/limiter.ts';
import { memory, type Memory } from './asking/memory.ts';
import { mayTryMore, type Shared } from './testing.ts';

/** @property seenAs the address that the front's log has for this machine; null when it does not say */
interface RoadTester {
  test: (road: PlannedRoad, limiter: Limiter) => Promise<Pick<RoadLegs, 'legs' | 'millis'>>;
  seenAs: () => string | null;
}

/** Tests the legs of one road after the other's, from the handshake on. */
export function roadTester(all: Shared, strangers: readonly StrangerEvidence[]): RoadTester {
  const remembered = memory();
  const testTls = tlsTester(all);
  return {
    seenAs: () => remembered.seenAs,
    test: async (road, limiter) => {
      const shared = { ...all, limiter };
      const [handshakes, plain] = await Promise.all([limiter(() => testTls(road)), testPlain(shared, road)]);
      const tls = unite(handshakes) ?? skipped('tls', 'port-closed');
      const behind = await testAddresses(shared, road, handshakes, remembered);
      const isSound = tls.outcome !== 'wrong';
      const bypass =
        behind.length === 0 ? skipped('bypass', 'needs-tls') : await testBypass(shared, road, isSound, strangers);
      const service = over('service', withoutCircles(behind, plain));
      const legs = [
        tls,
        redirectOf(plain, behind),
        over('access', behind),
        isSound ? await andUploads(shared, road, service) : service,
        over('websocket', behind),
        bypass,
      ];
      return {
        legs: await pastEdge(shared, road, legs),
        millis: behind.find(({ part }) => part === '/')?.millis ?? null,
      };
    },
  };
}

/** One address after the other: the front's log says which address it saw at the last question. */
async function testAddresses(
  shared: Shared,
  road: PlannedRoad,
  handshakes: readonly LegAt[],
  remembered: Memory,
): Promise<BehindTls[]> {
  const behind: BehindTls[] = [];
  for (const { address, result } of handshakes) {
    if (result.outcome === 'skipped' || result.kind === 'handshake-refused') continue;
    const at = { address, front: shared.front.at(address), isSound: result.outcome !== 'wrong' };
    behind.push(...(await testBehindTls(shared, road, at, remembered)));
  }
  return behind;
}

type LegBehind = 'access' | 'service' | 'websocket';

function over(leg: LegBehind, behind: readonly BehindTls[]): LegResult {
  return (
    unite(behind.map(({ address, part, ...legs }) => ({ address, part, result: legs[leg] }))) ??
    skipped(leg, 'needs-tls')
  );
}

/** What goes round in a circle cannot be told apart; the circle is the one cause. */
function withoutCircles(behind: readonly BehindTls[], plain: readonly LegAt[]): BehindTls[] {
  const circles = plain.filter(({ result }) => result.kind === 'redirect-loop').map(({ address }) => address);
  return behind.map((one) =>
    one.service.outcome === 'unsure' && circles.includes(one.address)
      ? { ...one, service: skipped('service', 'in-circle') }
      : one,
  );
}

/** Plain HTTP at every address, and what there is to say of HSTS at every part. */
function redirectOf(plain: readonly LegAt[], behind: readonly BehindTls[]): LegResult {
  const isTested = plain.some(({ result }) => result.outcome !== 'skipped');
  const hsts = behind.map(({ address, part, hsts: problems }) => ({
    address,
    part,
    // Plain HTTP is the same for all parts; a part that is well adds nothing to that.
    result: hstsResult(problems, isTested && part === '/'),
  }));
  return unite([...plain, ...hsts]) ?? skipped('redirect', 'port-closed');
}

/** What a stranger gets, a method that is forbidden, and the services themselves at the front's own addresses. */
async function testBypass(
  shared: Shared,
  road: PlannedRoad,
  isSound: boolean,
  strangers: readonly StrangerEvidence[],
): Promise<LegResult> {
  if (road.paused) return skipped('bypass', 'paused');
  const { input, front, limiter } = shared;
  const method = input.prober.isLive && isSound ? harmlessForbidden(road) : null;
  const login = credentials(input, road, { isSound });
  const [attempt, found] = await Promise.all([
    method === null ? null : limiter(() => front.ask('https', road.name, '/', login, method)),
    Promise.all(dialledParts([road]).map(({ part }) => findBypasses(shared, road, part))),
  ]);
  const refused = method === null || attempt === null ? null : { method, attempt };
  return judgeBypass({ road, strangers, refused, bypasses: found.flat() });
}

/** Tried where the right service answers, at an address that is proven ours. */
async function andUploads(shared: Shared, road: PlannedRoad, service: LegResult): Promise<LegResult> {
  if (service.outcome !== 'ok' || road.paused || !mayTryMore(shared)) return service;
  return withUploads(service, road, await testUploads(shared, road));
}
