import type { Limits } from '../../adapters/probe/connect.ts';
import { openLive } from '../../adapters/probe/open-live.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import { judgeWebsocket, noWebsocket } from '../../core/legs/websocket.ts';
import type { Plan, PlannedLeads, PlannedRoad } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { Question, Sight } from './prober.ts';

export interface WebsocketInput {
  road: PlannedRoad;
  /** Where the part of the road leads that the map looks at. */
  leads: PlannedLeads;
  /** Where the front is, and what it is told. */
  front: Question;
  sight: Pick<Sight, 'openLive'>;
  /** Where this machine itself reaches the service; null when it cannot. */
  at: At | null;
  ports: Plan['front']['ports'];
  limits: Limits;
}

/** Opens the live connection that the map expects through the front, and beside it to the service itself. */
export async function driveWebsocket({
  road,
  leads,
  front,
  sight,
  at,
  ports,
  limits,
}: WebsocketInput): Promise<LegResult> {
  const { expect } = road.rules;
  if (expect?.websocket !== true || leads.kind !== 'service' || road.paused) return noWebsocket('not expected');
  const { path } = expect;
  const { upstream } = leads;
  const [opened, direct] = await Promise.all([
    sight.openLive(front),
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
  return opened === null ? noWebsocket('not seen') : judgeWebsocket({ road, path, front: opened, direct });
}
