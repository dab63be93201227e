import * as z from 'zod';
import { about, rate as rateText } from '../map/schema/words.ts';
import { parseRate, type Rate } from '../map/units.ts';
import { roadRule } from './rule.ts';

/** What a people gate gets without a word in the map: every guess costs this machine a hash. */
const rateOfPeople: Rate = { requests: 20, perSeconds: 1, burst: 100 };

export const rate = roadRule({
  key: 'rate',
  schema: rateText
    .optional()
    .meta(
      about(
        'Requests that one address may make; more get 429. Without it 20/s burst 100 where a gate has people, else none.',
        '20/s burst 40',
      ),
    ),
  read: (written) => (written === undefined ? null : parseRate(written)),
  plan: (said, { hasPeople }) => (said === null ? (hasPeople ? rateOfPeople : null) : countable(said)),
  document: z.strictObject({ requests: z.number(), perSeconds: z.number(), burst: z.number() }).nullable(),
  shown: (planned) =>
    planned === null
      ? null
      : `${String(planned.requests)}/${planned.perSeconds === 1 ? 's' : 'min'} burst ${String(planned.burst)}`,
});

/** Servers count by the second or the minute; an hour's worth is rounded up. */
function countable({ requests, perSeconds, burst }: Rate): Rate {
  return perSeconds === 3600
    ? { requests: Math.ceil(requests / 60), perSeconds: 60, burst }
    : { requests, perSeconds, burst };
}
