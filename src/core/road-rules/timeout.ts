import * as z from 'zod';
import { about, duration } from '../map/schema/words.ts';
import { durationText, parseDuration } from '../map/units.ts';
import { roadRule } from './rule.ts';

/** How long a service may be silent, in seconds. */
export const timeout = roadRule({
  key: 'timeout',
  schema: duration.optional().meta(about('How long the service may be silent before visitors get 504.', '5m')),
  read: (written) => (written === undefined ? null : parseDuration(written)),
  plan: (said, { silenceSeconds }) => said ?? silenceSeconds,
  document: z.number(),
  shown: (planned) => `${String(planned)}s`,
  note: (planned) =>
    `Long answers: the service may be silent for ${durationText(planned * 1000)} before the front gives up (\`timeout\`).`,
});
