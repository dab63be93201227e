import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { withPort } from '../../../core/networks/address.ts';
import { withProblems, type LegResult, type Problem, type RoadLegs } from '../../../core/legs/leg.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { hasArrived, quietMs, quietProblems, wholeProblems, wholeUpload } from '../../../core/legs/passing/thorough.ts';
import { dialledParts } from '../../../core/plan/parts.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import { askDirectly } from './ask-directly.ts';
import { credentials } from '../gate/credentials.ts';
import { comesAgain } from './in-turn.ts';
import { openDirectly } from './test-websocket.ts';
import type { Shared } from '../testing.ts';

/** What takes a minute, or sends a body, for roads that are well as far as they were tested: all at once, since most of it is waiting. */
export async function testThorough(shared: Shared, tested: readonly RoadLegs[]): Promise<RoadLegs[]> {
  return Promise.all(
    tested.map(async (one, index) => {
      const road = shared.input.roads[index];
      const legOf = (name: LegResult['leg']): LegResult | undefined => one.legs.find(({ leg }) => leg === name);
      if (road === undefined || road.paused || road.rules.rate !== null) return one;
      const [quiet, whole] = await Promise.all([
        legOf('websocket')?.kind === 'live-open' ? quietly(shared, road) : [],
        legOf('service')?.outcome === 'ok' ? wholly(shared, road) : [],
      ]);
      const more: Partial<Record<LegResult['leg'], Problem[]>> = { websocket: quiet, service: whole };
      return { ...one, legs: one.legs.map((leg) => withProblems(leg, more[leg.leg] ?? [])) };
    }),
  );
}

async function quietly(shared: Shared, road: PlannedRoad): Promise<Problem[]> {
  const { input, front } = shared;
  const path = road.rules.expect?.path;
  const [main] = dialledParts([road]);
  if (path === undefined || main === undefined) return [];
  const login = credentials(input, road, { isSound: true });
  const at = { road, part: main.part };
  // Two of each at one time: what is cut by chance is not cut twice, and a second minute would be a long one.
  const [fronts, directs] = await Promise.all(
    [
      () => input.prober.openLive({ ...front.question('https', road.name, path, login), quietMs }),
      () => openDirectly(input, at, path, quietMs),
    ].map((open) => Promise.all([open(), open()])),
  );
  const [through = null, ...others] = fronts ?? [];
  if (through === null || others.some((one) => one?.ok === true)) return [];
  const stays = (directs ?? []).every((one) => one?.ok === true);
  return quietProblems(road, path, through, stays ? (directs?.[0] ?? null) : null);
}

/** OPTIONS changes nothing anywhere (RFC 9110 §9.2.1), with a body either. */
async function wholly(shared: Shared, road: PlannedRoad): Promise<Problem[]> {
  const { input, front, ours, limiter } = shared;
  const bytes = wholeUpload(road);
  const found = dialledParts([road]).map(async ({ part, upstream }) => {
    const target = targetOf(road, part);
    const question = front.question('https', road.name, target, credentials(input, road, { isSound: true }));
    if (!ours.includes(question.address)) return [];
    const sent = { method: 'OPTIONS', sends: bytes };
    const send = (): Promise<Attempt<Answer>> => limiter(() => input.prober.ask({ ...question, ...sent }));
    const sendDirectly = (): Promise<Attempt<Answer>> =>
      limiter(() => askDirectly(shared, { road, part }, { target, ...sent }));
    const through = await send();
    if (hasArrived(through)) return [];
    const isCut = await comesAgain(
      async () => !hasArrived(await send()),
      async () => !hasArrived(await sendDirectly()),
    );
    if (!isCut) return [];
    return wholeProblems(road, bytes, {
      front: through,
      direct: await sendDirectly(),
      upstream: withPort(upstream.host, upstream.port),
    });
  });
  return (await Promise.all(found)).flat();
}
