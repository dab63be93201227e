import * as z from 'zod';
import { texts } from './shapes.ts';

const day = z.string().regex(/^\d{4}-\d\d-\d\d$/);

/** About certificates. */
export const certsDocuments = {
  certs: {
    map: z.string(),
    certificates: z.array(
      z.strictObject({
        id: z.string(),
        names: texts,
        covers: texts,
        issuer: z.string().nullable(),
        from: day.nullable(),
        to: day.nullable(),
        daysLeft: z.int().nullable(),
        left: z.number().nullable(),
        renewAt: day.nullable(),
        roads: z.array(z.strictObject({ road: z.string(), why: z.string() })),
        renews: z.strictObject({
          by: z.enum(['practice', 'acme', 'files']),
          challenge: z.enum(['http', 'dns']).nullable(),
        }),
      }),
    ),
  },
  'certs-make': {
    map: z.string(),
    authority: z.string(),
    certificates: z.array(z.strictObject({ names: texts, ends: z.string(), made: z.boolean() })),
  },
  'certs-import': { map: z.string(), certificate: z.string(), covers: texts },
  'certs-export': {
    map: z.string(),
    certificate: z.string(),
    to: z.string(),
    key: z.string().nullable(),
    then: texts,
  },
  'certs-renew': { map: z.string(), due: texts },
  'certs-obtain': {
    map: z.string(),
    held: texts,
    failed: z.array(z.strictObject({ id: z.string(), code: z.string(), message: z.string(), remedy: z.string() })),
  },
};
