import * as z from 'zod';
import { about, label, oneOrMany } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

/** Rules of `check` whose warnings about a road are meant so. */
export const meantSo = roadRule({
  key: 'meant-so',
  schema: oneOrMany(label('the id of a finding'), 'the id of a finding, or a list of ids')
    .optional()
    .meta(about('Warnings about this road that you accept; they are not shown.', 'console-open-to-everyone')),
  read: (written) => written ?? [],
  plan: (said) => said,
  document: z.array(z.string()),
  shown: () => null,
});
