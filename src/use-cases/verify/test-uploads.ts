import { ask } from '../../adapters/probe/ask.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { uploadSizes, type UploadEvidence } from '../../core/legs/uploads.ts';
import type { Plan, PlannedRoad, Upstream } from '../../core/plan/plan.ts';
import type { At } from '../../core/plan/resolve-service.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { Question, Sight } from './prober.ts';

export interface UploadsInput {
  road: PlannedRoad;
  upstream: Upstream;
  /** Where this machine itself reaches the service; null when it cannot. */
  at: At | null;
  front: Question;
  sight: Pick<Sight, 'ask'>;
  ports: Plan['front']['ports'];
  limits: Limits;
}

/**
 * Announces uploads and sends nothing of them: OPTIONS changes nothing anywhere (RFC 9110 §9.2.1), and `Expect` lets a server refuse
 * before a byte of the body has gone (§10.1.1). One that is refused is announced to the service itself, too.
 */
export async function driveUploads(input: UploadsInput): Promise<UploadEvidence[]> {
  const { road, upstream, at, front, sight, ports, limits } = input;
  const seen: UploadEvidence[] = [];
  for (const bytes of uploadSizes(road)) {
    const announced = { method: 'OPTIONS', announces: bytes };
    const status = statusOf(await sight.ask({ ...front, ...announced }));
    const asksItself = status === 413 && at !== null;
    const direct = asksItself
      ? await ask({
          scheme: upstream.scheme,
          address: at.host,
          port: at.port,
          servername: upstream.byName ? upstream.host : '',
          target: front.target,
          headers: directHeaders(road, upstream, ports),
          ...announced,
          ...limits,
        })
      : null;
    seen.push({ bytes, front: status, direct: direct === null ? null : statusOf(direct) });
  }
  return seen;
}

function statusOf(attempt: Attempt<Answer>): number | null {
  return attempt.ok ? attempt.value.status : null;
}
