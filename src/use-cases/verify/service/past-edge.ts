import { mayBeEdge, withoutEdge } from '../../../core/legs/passing/edge.ts';
import type { LegResult } from '../../../core/legs/leg.ts';
import { unite } from '../../../core/legs/unite.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import { memory } from '../asking/memory.ts';
import { testBehindTls } from './test-behind-tls.ts';
import { testTlsAt } from '../way/test-tls.ts';
import type { Shared } from '../testing.ts';

/**
 * A control for what is found through an edge: the same questions to the front itself, past the edge, where it runs on this machine. What is well
 * there is not the front's doing.
 */
export async function pastEdge(shared: Shared, road: PlannedRoad, legs: LegResult[]): Promise<LegResult[]> {
  const { input, front, own, limiter } = shared;
  if (input.plan.front.edge === null || own === null || !mayBeEdge(legs)) return legs;
  const past = front.past(own);
  const endpoints = past.open('https');
  const handshakes = await limiter(() => testTlsAt(shared, { name: road.name, held: null, endpoints }));
  const at = { address: own, front: past, isSound: true };
  const behind = await testBehindTls(shared, road, at, memory());
  const tested = (['service', 'websocket'] as const).map((leg) =>
    unite(behind.map(({ address, part, ...of }) => ({ address, part, result: of[leg] }))),
  );
  const control = [unite(handshakes), ...tested].flatMap((one) => (one === null ? [] : [one]));
  return withoutEdge(road.name, legs, control, input.words);
}
