import { openLive } from '../../adapters/probe/open-live.ts';
import { skipped, untested, type LegResult } from '../../core/legs/leg.ts';
import { expectedOf, targetOf } from '../../core/legs/targets.ts';
import { judgeWebsocket, type Opened } from '../../core/legs/websocket.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { PartAt } from './test-behind-tls.ts';
import { credentials } from './credentials.ts';
import { fromHost, type Shared, type TestInput } from './testing.ts';

/** Opens the live connection that the map expects through the front, and beside it to the service itself. */
export async function testWebsocket(shared: Shared, { road, part, at }: PartAt): Promise<LegResult> {
  const { input } = shared;
  const path = livePath(shared, { road, part, at });
  if (path === null) return skipped('websocket', 'not-expected');
  const [opened, direct] = await Promise.all([
    input.prober.openLive(at.front.question('https', road.name, path, credentials(input, road, at))),
    openDirectly(input, { road, part, at }, path),
  ]);
  if (opened === null) return skipped('websocket', 'not-seen');
  return judgeWebsocket({ road, path, front: opened, direct });
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

async function openDirectly(input: TestInput, { road, part }: PartAt, path: string): Promise<Opened | null> {
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
    headers: directHeaders(road, upstream, input.plan.front.ports),
    ...input.limits,
  });
}
