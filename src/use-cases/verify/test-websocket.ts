import { openLive } from '../../adapters/probe/open-live.ts';
import { skipped, type LegResult } from '../../core/legs/leg.ts';
import { expectedOf } from '../../core/legs/targets.ts';
import { judgeWebsocket } from '../../core/legs/websocket.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { PartAt } from './test-behind-tls.ts';
import { credentials } from './credentials.ts';
import { fromHost, type Shared } from './testing.ts';

/** Opens the live connection that the map expects through the front, and beside it to the service itself. */
export async function testWebsocket({ input }: Shared, { road, part, at }: PartAt): Promise<LegResult> {
  const expected = expectedOf(road, part);
  const { leads } = part;
  if (expected?.websocket !== true || leads.kind !== 'service' || road.paused)
    return skipped('websocket', 'not-expected');
  const { path } = expected;
  const { upstream } = leads;
  const here = fromHost(part);
  const [opened, direct] = await Promise.all([
    input.prober.openLive(at.front.question('https', road.name, path, credentials(input, road, at))),
    here === null || upstream === null
      ? null
      : openLive({
          scheme: upstream.scheme,
          address: here.host,
          port: here.port,
          servername: upstream.verifyAs ?? '',
          path,
          headers: directHeaders(road, upstream, input.plan.front.ports),
          ...input.limits,
        }),
  ]);
  if (opened === null) return skipped('websocket', 'not-seen');
  return judgeWebsocket({ road, path, front: opened, direct });
}
