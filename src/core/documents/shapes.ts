import * as z from 'zod';
import { legNames } from '../findings/finding.ts';

/** Shapes that several documents share. */

export const texts = z.array(z.string());
export const count = z.int().min(0);
export const port = z.int().min(0).max(65_535);
export const protocol = z.enum(['tcp', 'udp']);
export const place = z.strictObject({ file: z.string(), line: count, column: count });
const fact = z.union([z.string(), z.number(), z.boolean(), z.null(), texts]);
export const severity = z.enum(['error', 'warning', 'note']);

export const finding = z.strictObject({
  rule: z.string(),
  severity,
  leg: z.enum(legNames).nullable(),
  roads: texts,
  cause: z.string(),
  message: z.string(),
  remedy: z.string(),
  where: place.nullable(),
  evidence: z.record(z.string(), fact),
});
export const findings = z.array(finding);
export const counts = { errors: count, warnings: count, notes: count };

export const endpoint = z.strictObject({ address: z.string(), port });
export const process = z.strictObject({ pid: z.int(), name: z.string() });

export const upstream = z.strictObject({
  scheme: z.enum(['http', 'https']),
  host: z.string(),
  port,
  byName: z.boolean(),
  verifyAs: z.string().nullable(),
  trust: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('system') }),
    z.strictObject({ kind: z.literal('none') }),
    z.strictObject({ kind: z.literal('ca'), file: z.string() }),
    z.strictObject({ kind: z.literal('pin'), digest: z.string() }),
  ]),
  sayHost: z.string().nullable(),
  service: z.string().nullable(),
  why: z.string(),
});

export const leads = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('service'), upstream: upstream.nullable() }),
  z.strictObject({
    kind: z.literal('redirect'),
    url: z.string(),
    status: z.union([z.literal(307), z.literal(308)]),
    below: z.string().nullable(),
  }),
  z.strictObject({ kind: z.literal('folder'), path: z.string() }),
]);

const networks = z.strictObject({ networks: texts, except: texts });
export const gate = z.strictObject({
  name: z.string(),
  parts: z.array(
    z.strictObject({
      name: z.string(),
      networks: networks.nullable(),
      devices: texts.nullable().describe('names of the devices that pass; empty for all of them'),
      people: z.string().nullable(),
      asks: z.string().nullable().describe('the service that is asked about each request'),
      need: z.enum(['any', 'all']),
      except: texts,
      where: place,
    }),
  ),
});

export const headerPairs = z.array(z.tuple([z.string(), z.string()]));

export const record = z.strictObject({
  name: z.string(),
  type: z.enum(['A', 'AAAA', 'CNAME', 'CAA']),
  ttlSeconds: count,
  data: z.string(),
});
