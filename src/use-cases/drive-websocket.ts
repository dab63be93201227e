import type { Limits } from '../adapters/probe/connect.ts';
import { openLive, type LiveInput } from '../adapters/probe/open-live.ts';
import type { LegResult } from '../core/legs/leg.ts';
import { judgeWebsocket, noWebsocket } from '../core/legs/websocket.ts';
import type { Plan, PlannedRoad } from '../core/plan/plan.ts';
import type { At } from '../core/plan/resolve-service.ts';
import { directHeaders } from '../core/verdict/forwarded.ts';

export interface WebsocketInput {
  road: PlannedRoad;
  /** Where the front is, and what it is told. */
  front: Pick<LiveInput, 'address' | 'port' | 'headers'>;
  /** Where this machine itself reaches the service; null when it cannot. */
  at: At | null;
  ports: Plan['front']['ports'];
  limits: Limits;
}

/** Opens the live connection that the map expects through the front, and beside it to the service itself. */
export async function driveWebsocket({ road, front, at, ports, limits }: WebsocketInput): Promise<LegResult> {
  const { expect } = road.rules;
  if (expect?.websocket !== true || road.leads.kind !== 'service' || road.paused) return noWebsocket('not expected');
  const { path } = expect;
  const { upstream } = road.leads;
  const [opened, direct] = await Promise.all([
    openLive({ scheme: 'https', ...front, servername: road.name, path, ...limits }),
    at === null || upstream === null
      ? null
      : openLive({
          scheme: upstream.scheme,
          address: at.host,
          port: at.port,
          servername: upstream.verifyAs ?? '',
          path,
          headers: directHeaders(road, upstream, ports),
          ...limits,
        }),
  ]);
  return judgeWebsocket({ road, path, front: opened, direct });
}
