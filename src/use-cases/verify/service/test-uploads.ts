import { ask } from '../../../adapters/probe/ask.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { uploadSizes, type UploadEvidence } from '../../../core/legs/passing/uploads.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { dialledParts } from '../../../core/plan/parts.ts';
import type { PlannedPart, PlannedRoad } from '../../../core/plan/plan.ts';
import type { Upstream } from '../../../core/plan/upstream.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import type { Question } from '../asking/prober.ts';
import { credentials } from '../gate/credentials.ts';
import { inTurn } from './in-turn.ts';
import { fromHost, type Shared } from '../testing.ts';

/** Announces uploads to every part of a road that leads to a service, at an address that is proven ours. */
export async function testUploads(shared: Shared, road: PlannedRoad): Promise<UploadEvidence[]> {
  const { input, front, ours, limiter } = shared;
  const login = credentials(input, road, { isSound: true });
  const seen = dialledParts([road]).map(async ({ part, upstream }): Promise<UploadEvidence[]> => {
    const question = front.question('https', road.name, targetOf(road, part), login);
    if (!ours.includes(question.address)) return [];
    return limiter(() => announce(shared, { road, part, upstream, question }));
  });
  return (await Promise.all(seen)).flat();
}

interface Announced {
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
  question: Question;
}

/**
 * Announces uploads and sends nothing of them: OPTIONS changes nothing anywhere (RFC 9110 §9.2.1), and `Expect` lets a server refuse
 * before a byte of the body has gone (§10.1.1). One that is refused is announced to the service itself, too.
 */
async function announce(
  { input: { prober, limits, plan } }: Shared,
  { road, part, upstream, question }: Announced,
): Promise<UploadEvidence[]> {
  const at = fromHost(part);
  const seen: UploadEvidence[] = [];
  for (const bytes of uploadSizes(road)) {
    const announced = { method: 'OPTIONS', announces: bytes };
    const asked = (): Promise<Attempt<Answer>> => prober.ask({ ...question, ...announced });
    const first = statusOf(await asked());
    // One that refuses whatever is announced, or only now and then, says nothing of a limit.
    const status =
      first === 413 && !(await isAboutSize(asked, () => prober.ask({ ...question, method: 'OPTIONS' }))) ? null : first;
    const asksItself = status === 413 && at !== null;
    const direct = asksItself
      ? await ask({
          scheme: upstream.scheme,
          address: at.host,
          port: at.port,
          servername: upstream.byName ? upstream.host : '',
          target: question.target,
          headers: directHeaders(road, upstream, plan.front.ports),
          ...announced,
          ...limits,
        })
      : null;
    seen.push({ part: part.prefix, bytes, front: status, direct: direct === null ? null : statusOf(direct) });
  }
  return seen;
}

/** Whether a size is refused each time, and the same question without one never. */
async function isAboutSize(
  asked: () => Promise<Attempt<Answer>>,
  control: () => Promise<Attempt<Answer>>,
): Promise<boolean> {
  const { a, b } = await inTurn(asked, control);
  return a.every((one) => one === 413) && !b.includes(413);
}

function statusOf(attempt: Attempt<Answer>): number | null {
  return attempt.ok ? attempt.value.status : null;
}
