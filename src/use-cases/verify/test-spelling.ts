import type { Answer } from '../../core/legs/answer.ts';
import type { DirectEvidence } from '../../core/legs/direct.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import { judgeSpelling, spellings } from '../../core/legs/spelling.ts';
import { targetOf } from '../../core/legs/targets.ts';
import { credentials } from './credentials.ts';
import type { PartAt } from './test-behind-tls.ts';
import type { Shared } from './testing.ts';

/** Asks for a road by its name in other spellings, which mean the same (RFC 9110 §4.2.3). Once for all parts of it. */
export async function testSpelling(
  { input, limiter }: Shared,
  { road, part, at }: PartAt,
  own: DirectEvidence,
  usual: Answer,
): Promise<LegResult | null> {
  if (part.prefix !== '/' || road.rules.rate !== null || !input.prober.isLive) return null;
  const login = credentials(input, road, at);
  const asked = await Promise.all(
    spellings(road).map(async (host) => {
      const headers = { ...login, host };
      const attempt = await limiter(() => at.front.ask('https', road.name, targetOf(road, part), headers));
      return attempt.ok ? [{ host, answer: attempt.value }] : [];
    }),
  );
  return judgeSpelling({ own, usual, spelled: asked.flat() });
}
