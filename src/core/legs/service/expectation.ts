import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Problem } from '../leg.ts';
import { expectUnmet } from './service-cards.ts';
import { expectedOf } from '../targets.ts';

/** What the map expects at the end of the road, beyond that it is the right service. */
export function unmetOf(
  road: PlannedRoad,
  part: PlannedPart,
  { status, body }: { status: number; body: string },
): Problem | null {
  const expect = expectedOf(road, part);
  if (expect === null) return null;
  const cause = `expect:${road.name}`;
  const { path } = expect;
  const unmet = (say: string, wanted: string | number): Problem => {
    return { card: expectUnmet, say, data: { path, found: status, wanted }, cause };
  };
  if (expect.status !== null && expect.status !== status) return unmet('status', expect.status);
  if (expect.text !== null && !body.includes(expect.text)) return unmet('text', expect.text);
  // A live connection need not have a page beside it.
  const isNothing = status === 404 || status === 410 || status >= 500;
  return expect.status === null && !expect.websocket && isNothing ? unmet('nothing', '') : null;
}
