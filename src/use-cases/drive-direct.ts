import { ask } from '../adapters/probe/ask.ts';
import type { Limits } from '../adapters/probe/connect.ts';
import { handshake } from '../adapters/probe/handshake.ts';
import type { Answer, Attempt } from '../core/legs/answer.ts';
import type { DirectEvidence } from '../core/legs/service.ts';
import type { Plan, PlannedRoad, Upstream } from '../core/plan/plan.ts';
import type { At } from '../core/plan/resolve-service.ts';
import { directHeaders } from '../core/verdict/forwarded.ts';

export interface DirectInput {
  road: PlannedRoad;
  upstream: Upstream;
  /** Where this machine itself reaches the service; null when it cannot. */
  at: At | null;
  target: string;
  ports: Plan['front']['ports'];
  limits: Limits;
}

/** Asks a service directly, twice, with the headers that the front would send, to learn what stays the same. */
export async function driveDirect({ road, upstream, at, target, ports, limits }: DirectInput): Promise<DirectEvidence> {
  // In a container the front knows the service by another name; without a way from here nothing can be asked.
  if (at === null) return notAsked(road.name, upstream);
  const once = (): Promise<Attempt<Answer>> =>
    ask({
      scheme: upstream.scheme,
      address: at.host,
      port: at.port,
      servername: upstream.byName ? upstream.host : '',
      target,
      headers: directHeaders(road, upstream, ports),
      ...limits,
    });
  const first = await once();
  // What fails once is not asked again: a service that hangs would cost its time twice.
  const second = first.ok ? await once() : first;
  const mayTakeTls = !first.ok && first.failure.kind === 'broken' && upstream.scheme === 'http';
  return { road: road.name, upstream, first, second, takesTls: mayTakeTls && (await takesTls(at, limits)) };
}

/** A handshake that is ended by an alert is TLS as well. */
async function takesTls({ host, port }: At, limits: Limits): Promise<boolean> {
  const attempt = await handshake({ address: host, port, name: '', trust: { given: [], practice: [] }, ...limits });
  return attempt.ok || attempt.failure.reason.startsWith('TLS alert');
}

function notAsked(road: string, upstream: Upstream): DirectEvidence {
  const reason = 'it is known inside the container network only';
  const attempt = { ok: false as const, failure: { kind: 'unreachable' as const, reason } };
  return { road, upstream, first: attempt, second: attempt, takesTls: false };
}
