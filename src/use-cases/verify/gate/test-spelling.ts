import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { DirectEvidence } from '../../../core/legs/service/direct.ts';
import type { LegResult } from '../../../core/legs/leg.ts';
import { judgeSpelling, spellings } from '../../../core/legs/gate/spelling.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { varies } from '../../../core/legs/passing/turns.ts';
import { credentials } from './credentials.ts';
import { inTurn } from '../service/in-turn.ts';
import type { PartAt } from '../part-at.ts';
import { judgeSamples } from '../service/test-steady.ts';
import type { Shared } from '../testing.ts';

/** Asks for a road by its name in other spellings, which mean the same (RFC 9110 §4.2.3). Once for all parts of it. */
export async function testSpelling(
  shared: Shared,
  where: PartAt,
  own: DirectEvidence,
  usual: Answer,
): Promise<LegResult | null> {
  const { input, limiter } = shared;
  const { road, part, at } = where;
  if (part.prefix !== '/' || road.rules.rate !== null || !input.prober.isLive) return null;
  const login = credentials(input, road, at);
  const target = targetOf(road, part);
  const askBy = (more: Record<string, string>): Promise<Attempt<Answer>> =>
    limiter(() => at.front.ask('https', road.name, target, { ...login, ...more }));
  const asked = await Promise.all(
    spellings(road).map(async (host) => {
      const attempt = await askBy({ host });
      return attempt.ok ? [{ host, answer: attempt.value }] : [];
    }),
  );
  const judged = judgeSpelling({ own, usual, spelled: asked.flat() });
  if (judged === null) return null;
  const { host, result } = judged;
  const { a, b } = await inTurn(
    () => askBy({}),
    () => askBy({ host }),
  );
  if (!varies(a) && !varies(b)) return result;
  // The name is the same in both, so these are answers to one question.
  return judgeSamples(shared, where, { a: [...a, ...b], b: own.course });
}
