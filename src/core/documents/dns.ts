import * as z from 'zod';
import { endpoint, findings, port, record, texts } from './shapes.ts';

const heard = z.discriminatedUnion('ok', [
  z.strictObject({
    ok: z.literal(true),
    said: z.strictObject({
      code: z.string(),
      aliases: texts,
      circle: z.boolean(),
      addresses: texts,
      ttlSeconds: z.number().nullable(),
      noForSeconds: z.number().nullable(),
    }),
  }),
  z.strictObject({ ok: z.literal(false), reason: z.string() }),
]);

const server = z.strictObject({
  name: z.string(),
  address: z.string(),
  port,
  serial: z.number().nullable(),
  trouble: z.strictObject({ kind: z.enum(['silent', 'lame']), reason: z.string() }).nullable(),
});

const change = z.strictObject({
  name: z.string(),
  type: z.enum(['A', 'AAAA', 'CNAME', 'CAA']),
  before: z.array(record),
  after: z.array(record),
  unsure: z.boolean().optional(),
});

const published = {
  map: z.string(),
  done: z.boolean(),
  zones: z.array(z.strictObject({ zone: z.string(), server: endpoint, changes: z.array(change) })),
  kept: texts,
};

/** About records. */
export const dnsDocuments = {
  'dns-records': {
    map: z.string(),
    view: z.enum(['public', 'home']),
    zones: z.array(z.strictObject({ domain: z.string(), records: z.array(record) })),
    notes: texts,
  },
  'dns-check': {
    map: z.string(),
    expected: texts,
    names: z.array(z.strictObject({ name: z.string(), outcome: z.string(), kind: z.string(), says: z.string() })),
    zones: z.array(
      z.strictObject({ zone: z.string(), servers: z.array(server), own: texts, parent: texts.nullable() }),
    ),
    heard: z.array(
      z.strictObject({
        name: z.string(),
        zone: z.string().nullable(),
        servers: z.array(z.strictObject({ name: z.string(), address: z.string(), heard })),
        resolver: heard,
      }),
    ),
    notSeen: z.string().nullable(),
    findings,
  },
  'dns-publish': published,
  'dns-undo': published,
  'dns-update-address': {
    map: z.string(),
    name: z.string(),
    before: texts,
    after: texts,
    changed: z.boolean(),
    service: z.strictObject({ host: z.string(), waits: z.boolean(), since: z.string() }).nullable(),
    done: z.boolean(),
  },
};
