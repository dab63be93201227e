import * as z from 'zod';
import { certsDocuments } from './certs.ts';
import { dnsDocuments } from './dns.ts';
import { liveDocuments } from './live.ts';
import { mapDocuments } from './map.ts';
import { counts, findings } from './shapes.ts';
import { surveyDocuments } from './survey.ts';

/** What each command writes with --json, by the name behind `mile-marker-` in its `format`. */
const documents: Readonly<Record<string, z.ZodRawShape>> = {
  ...mapDocuments,
  ...surveyDocuments,
  ...certsDocuments,
  ...dnsDocuments,
  ...liveDocuments,
};

/** In place of the document, where the map cannot be read: what is wrong with it. */
const unread = { map: z.string(), findings, summary: z.strictObject(counts) };

type Json = Record<string, unknown>;

/** JSON Schema (draft 2020-12) of every document, by file name. */
export function documentSchemas(): Record<string, Json> {
  return Object.fromEntries(
    Object.entries(documents).map(([name, shape]) => {
      const head = { format: z.literal(`mile-marker-${name}`), version: z.literal(1) };
      const whole = z.union([z.strictObject({ ...head, ...shape }), z.strictObject({ ...head, ...unread })]);
      const schema = z.toJSONSchema(whole, { unrepresentable: 'any' }) as Json;
      return [`${name}.schema.json`, { ...schema, title: `mile-marker ${name}` }];
    }),
  );
}
