import { openLive } from '../../../adapters/probe/open-live.ts';
import { skipped, untested, type LegResult } from '../../../core/legs/leg.ts';
import { expectedOf, targetOf } from '../../../core/legs/targets.ts';
import { fewestRounds, turnsOf } from '../../../core/legs/passing/turns.ts';
import { judgeWebsocket, type Opened } from '../../../core/legs/passing/websocket.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import type { PartAt } from '../part-at.ts';
import { credentials } from '../gate/credentials.ts';
import { fromHost, type Shared, type TestInput } from '../testing.ts';

/** Opens the live connection that the map expects through the front, and beside it to the service itself. */
export async function testWebsocket(shared: Shared, { road, part, at }: PartAt): Promise<LegResult> {
  const { input } = shared;
  const path = livePath(shared, { road, part, at });
  if (path === null) return skipped('websocket', 'not-expected');
  const open = (): Promise<Opened | null> =>
    input.prober.openLive(at.front.question('https', road.name, path, credentials(input, road, at)));
  const openItself = (): Promise<Opened | null> => openDirectly(input, { road, part }, path);
  const [front, direct] = await Promise.all([open(), openItself()]);
  if (front === null) return skipped('websocket', 'not-seen');
  const judged = judgeWebsocket({ road, path, front, direct });
  const isWell = judged.outcome === 'ok' && direct?.ok !== false;
  if (isWell || !input.prober.isLive || road.rules.rate !== null) return judged;
  const again: Record<'a' | 'b', Opened[]> = { a: [], b: [] };
  // All at once: each that does not open may take all of its time.
  const asked = turnsOf(0, fewestRounds).map(async (which) => ({
    which,
    one: await (which === 'a' ? open() : openItself()),
  }));
  for (const { which, one } of await Promise.all(asked)) if (one !== null) again[which].push(one);
  return judgeWebsocket({ road, path, front, direct, again: { front: again.a, direct: again.b } });
}

/** Behind a gate that keeps this machine out: whether the service itself opens it. */
export async function testHiddenWebsocket(shared: Shared, where: PartAt): Promise<LegResult> {
  const path = livePath(shared, where);
  if (path === null) return skipped('websocket', 'not-expected');
  const direct = await openDirectly(shared.input, where, path);
  return direct?.ok === false
    ? judgeWebsocket({ road: where.road, path, front: direct, direct })
    : untested('websocket', 'behind-gate');
}

/** Where a live connection is to be opened: where the map expects one, or where the service wants nothing else (RFC 9110 §15.5.22). */
function livePath({ directs }: Shared, { road, part }: PartAt): string | null {
  if (part.leads.kind !== 'service' || road.paused) return null;
  const expected = expectedOf(road, part);
  if (expected?.websocket === true) return expected.path;
  const own = directs.get(part);
  return own?.answer.ok === true && own.answer.value.status === 426 ? targetOf(road, part) : null;
}

export async function openDirectly(
  input: TestInput,
  { road, part }: Pick<PartAt, 'road' | 'part'>,
  path: string,
  quietMs?: number,
): Promise<Opened | null> {
  const here = fromHost(part);
  const { leads } = part;
  if (here === null || leads.kind !== 'service' || leads.upstream === null) return null;
  const { upstream } = leads;
  return openLive({
    scheme: upstream.scheme,
    address: here.host,
    port: here.port,
    servername: upstream.verifyAs ?? '',
    path,
    ...(quietMs === undefined ? {} : { quietMs }),
    headers: directHeaders(road, upstream, input.plan.front.ports),
    ...input.limits,
  });
}
