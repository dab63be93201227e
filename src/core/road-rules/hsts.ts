import * as z from 'zod';
import { about, duration, wants } from '../map/schema/words.ts';
import { parseDuration } from '../map/units.ts';
import { roadRule } from './rule.ts';

const day = 86_400;

/**
 * Planned it is the max-age of Strict-Transport-Security in seconds (RFC 6797 §6.1.1); null sends none. What is written counts; `hsts-locks-out` says where it
 * would hurt. Nothing written is one day, and nothing at all where a browser that remembers it could not get in any more: a certificate that it does not trust, or
 * HTTPS on a port that it would not try (§8.3 keeps any port but 80).
 */
export const hsts = roadRule({
  key: 'hsts',
  schema: z
    .union([z.enum(['on', 'off', 'forget']), duration], wants('on, off, forget, or a time such as 180d'))
    .optional()
    .meta(
      about(
        'Strict-Transport-Security (RFC 6797): `on` is 180d; `forget` sends max-age=0. Without it one day, and nothing with practice certificates, another outside port than 443, or `plain`.',
        'on',
      ),
    ),
  read: (written) => {
    if (written === undefined) return null;
    return written === 'on' || written === 'off' || written === 'forget' ? written : parseDuration(written);
  },
  plan: (said, { plain, httpsPort, isPublic }): number | null => {
    switch (said) {
      case 'off':
        return null;
      case 'forget':
        return 0;
      case 'on':
        return 180 * day;
      case null:
        return plain || httpsPort !== 443 || !isPublic ? null : day;
      default:
        return Number(said);
    }
  },
  document: z.number().nullable(),
  shown: (planned) => (planned === null ? null : `max-age ${String(planned)}`),
});
