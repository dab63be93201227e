import * as z from 'zod';
import { about, wants } from '../map/schema/words.ts';
import { headerPairs, pairsShown } from './response-headers.ts';
import { roadRule } from './rule.ts';

/** Headers that protect visitors, where the service sends nothing of its own under their names (Fetch, HTML, Referrer Policy). */
const sets: Readonly<Record<'basic' | 'strict' | 'off', Array<[string, string]>>> = {
  off: [],
  basic: [
    ['X-Content-Type-Options', 'nosniff'],
    ['X-Frame-Options', 'SAMEORIGIN'],
    ['Referrer-Policy', 'strict-origin-when-cross-origin'],
  ],
  strict: [
    ['X-Content-Type-Options', 'nosniff'],
    ['X-Frame-Options', 'DENY'],
    ['Referrer-Policy', 'no-referrer'],
    ['Content-Security-Policy', "frame-ancestors 'none'; base-uri 'self'; object-src 'none'"],
    ['Cross-Origin-Opener-Policy', 'same-origin'],
    ['Permissions-Policy', 'camera=(), geolocation=(), microphone=()'],
  ],
};

/** Every answer carries them where the service sends nothing under their names, and the map says nothing of them. */
export const securityHeaders = roadRule({
  key: 'security-headers',
  schema: z
    .enum(['basic', 'strict', 'off'], wants('basic, strict or off'))
    .optional()
    .meta(
      about(
        'A set of headers that protect visitors; what the service itself sends under their names stays. `basic` unless you say otherwise.',
        'basic',
      ),
    ),
  read: (written) => written ?? 'basic',
  plan: (said, { headers }) => {
    const set = headers.map(([name]) => name.toLowerCase());
    return sets[said].filter(([name]) => !set.includes(name.toLowerCase()));
  },
  document: headerPairs,
  shown: pairsShown,
});
