import * as z from 'zod';
import { about, flag } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

export const plain = roadRule({
  key: 'plain',
  schema: flag.optional().meta(about('Also served on plain HTTP, not redirected. Always a warning.', 'true')),
  read: (written) => written ?? false,
  plan: (said) => said,
  document: z.boolean(),
  shown: (planned) => (planned ? 'true' : null),
});
