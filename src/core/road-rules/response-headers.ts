import * as z from 'zod';
import { about, headerName, text, wants } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

/** Header lines in documents. */
export const headerPairs: z.ZodType<Array<[string, string]>> = z.array(z.tuple([z.string(), z.string()]));

/** Every answer carries them, in place of what the service sent under their names. */
export const responseHeaders = roadRule({
  key: 'response-headers',
  schema: z
    .record(headerName('the name of a header'), text('a text on one line'), wants('headers with their values'))
    .optional()
    .meta(
      about(
        'Headers that every answer gets. They replace headers of the same name from the service.',
        '{X-Robots-Tag: noindex}',
      ),
    ),
  read: (written): Array<[string, string]> => Object.entries(written ?? {}),
  plan: (said) => said,
  document: headerPairs,
  shown: pairsShown,
});

/** Header lines in words. */
export function pairsShown(pairs: ReadonlyArray<readonly [string, string]>): string | null {
  return pairs.length === 0 ? null : pairs.map(([name, value]) => `${name}: ${value}`).join('; ');
}
