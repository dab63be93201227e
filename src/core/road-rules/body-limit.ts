import * as z from 'zod';
import { about, size } from '../map/schema/words.ts';
import { parseSize, sizeText } from '../map/units.ts';
import { roadRule } from './rule.ts';

/** In bytes. */
export const bodyLimit = roadRule({
  key: 'body-limit',
  schema: size.optional().meta(about('Longest request body; longer ones get 413. No limit without it.', '10MiB')),
  read: (written) => (written === undefined ? null : parseSize(written)),
  plan: (said) => said,
  document: z.number().nullable(),
  shown: (planned) => (planned === null ? null : sizeText(planned)),
  note: (planned) => `Uploads: ${planned === null ? 'of any size' : `up to ${sizeText(planned)} (\`body-limit\`)`}.`,
});
