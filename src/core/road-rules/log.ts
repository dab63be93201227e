import * as z from 'zod';
import { about, flag, path, wants } from '../map/schema/words.ts';
import { withoutStar } from '../names/wildcard.ts';
import { absolutePath } from '../plan/absolute-path.ts';
import { roadRule } from './rule.ts';

/** Planned it is the absolute path of the file that requests are logged to; false for none, null for what the server does by itself. */
export const log = roadRule({
  key: 'log',
  schema: z
    .union([flag, path('the path of a file')], wants('true, false, or the path of a file'))
    .optional()
    .meta(
      about(
        'Whether and where requests are logged, in the combined format. `true` is .mile-marker/logs/NAME.log; in a container its own output.',
        'true',
      ),
    ),
  read: (written) => written ?? null,
  plan: (said, { name, mapFolder, inContainer }): string | false | null => {
    if (said === null || said === false) return said;
    // Inside a container nothing can be written but its own output, which the engine keeps.
    if (inContainer) return '/dev/stdout';
    return absolutePath(mapFolder, said === true ? `.mile-marker/logs/${withoutStar(name)}.log` : said);
  },
  document: z.union([z.string(), z.literal(false), z.null()]),
  shown: (planned) => (planned === null ? null : planned === false ? 'off' : planned),
});
